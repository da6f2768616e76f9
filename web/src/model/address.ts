/** Everything that the address says of the recording that is open, and of the views beside it. */
export const FORGET = {
  ...{ recording: null, t0: null, t1: null, t: null, s0: null, s1: null, show: null, stone: null },
  ...{ view: null, away: null, file: null },
};
