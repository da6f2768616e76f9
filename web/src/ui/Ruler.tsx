import { figure } from "../model/format";
import { anchorOf, graduations, niceStep, scale, stepDecimals } from "../model/scale";

const SIZES = { long: 18, middle: 12, short: 7 };

interface Props {
  low: number;
  high: number;
  from: number;
  to: number;
  y: number;
  labels?: number;
  per?: number;
}

/** A horizontal ruler in an SVG: line, graduations, labels. `per` divides values into the unit shown. */
export function Ruler({ low, high, from, to, y, labels = 8, per = 1 }: Props) {
  const at = scale(low / per, high / per, from, to);
  const decimals = stepDecimals(niceStep((high - low) / per, labels));
  return (
    <g className="ruler">
      <line x1={from} x2={to} y1={y} y2={y} />
      {graduations(low / per, high / per, labels).map((mark) => (
        <line key={mark.at} x1={at(mark.at)} x2={at(mark.at)} y1={y} y2={y + SIZES[mark.size]} />
      ))}
      {graduations(low / per, high / per, labels)
        .filter((mark) => mark.label)
        .map((mark) => (
          <text key={mark.at} x={at(mark.at)} y={y + 36} textAnchor={anchorOf(at(mark.at), from, to)}>
            {figure(mark.at, decimals)}
          </text>
        ))}
    </g>
  );
}
