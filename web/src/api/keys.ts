/** Under which keys answers of the server are kept: all of a rig are looked at again with `keys.rig(slug)`. */

type Part = unknown;

const ofRig =
  (name: string) =>
  (slug: string, ...parts: Part[]) => ["rig", slug, name, ...parts];

export const keys = {
  access: ["access"],
  health: ["health"],
  kinds: ["kinds"],
  lists: ["lists"],
  sources: ["sources"],
  world: (name: string) => ["world", name],
  hands: (slug: string) => ["hands", slug], // a hand that moves is ahead of the server
  rigs: ["rigs"],
  archivedRigs: ["rigs", "archived"],
  calculation: (name: string, given: Part) => ["calculation", name, given],
  looseFile: (file: File | null, ...parts: Part[]) => ["file", file?.name, file?.size, file?.lastModified, ...parts],
  loosePart: (part: string, constants: Part) => ["part", part, constants],

  rig: (slug: string) => ["rig", slug],
  stored: ofRig("stored"),
  constants: ofRig("constants"),
  constantHistory: ofRig("constant-history"),
  standing: ofRig("standing"),
  stones: ofRig("stones"),
  stoneChanges: ofRig("stone-changes"),
  entries: ofRig("entries"),
  labels: ofRig("labels"),
  files: ofRig("files"),
  fileLook: ofRig("file-look"),

  recordings: ofRig("recordings"),
  recording: ofRig("recording"),
  findings: ofRig("findings"),
  lanes: ofRig("lanes"),
  worked: ofRig("worked"),
  moment: ofRig("moment"),
  readOuts: ofRig("read-outs"),
  reading: ofRig("reading"),

  procedures: ofRig("procedures"),
  procedure: ofRig("procedure"),
  beforeAfter: ofRig("before-after"),
  driveChoices: ofRig("drive-choices"),
  drive: ofRig("drive"),
  ways: ofRig("ways"),
  running: ofRig("running"),
  track: ofRig("track"),
  trials: ofRig("trials"),
  trial: ofRig("trial"),
  trialsBeside: ofRig("trials-beside"),
  decisions: ofRig("decisions"),
  decision: ofRig("decision"),

  checklist: ofRig("checklist"),
  schedule: ofRig("schedule"),
  program: ofRig("program"),
};
