import { words } from "./words";

const say = words.scale;
/** The scale of levels: from soft to loud, dBFS. */
export interface Range {
  low: number;
  high: number;
}

/** Of rows, and of what many come to together. */
export const ofRows: Range = { low: -66, high: 0 };
export const ofMixes: Range = { low: -36, high: 30 };

/** place is where a level stands on a scale so wide. */
const place = (db: number, width: number, { low, high }: Range) =>
  ((Math.min(high, Math.max(low, db)) - low) / (high - low)) * width;

const ticks = ({ low, high }: Range) => [-60, -48, -36, -24, -12, 0, 12, 24].filter((t) => t >= low && t <= high);

/** ScaleHead names the levels above the rows. */
export function ScaleHead({ width, workingDb, range = ofRows }: { width: number; workingDb: number; range?: Range }) {
  return (
    <svg
      width={width}
      height={20}
      role="img"
      aria-label={say.levelsFromToDbfs(range.low, range.high)}
      className="block overflow-visible"
    >
      <title>
        {say.levelsFromToDbfsTheLong(
          range.low,
          range.high,
          workingDb === 0 ? say.fullScale : say.theWorkingLevel(workingDb),
        )}
      </title>
      {ticks(range).map((t) => (
        <text
          key={t}
          x={place(t, width, range)}
          y={13}
          textAnchor={t === range.high ? "end" : t === range.low ? "start" : "middle"}
          fontSize={11}
          fill="var(--soft)"
        >
          {t}
        </text>
      ))}
      <path d={`M${place(workingDb, width, range)} 16V20`} stroke="var(--accent)" strokeWidth={1.5} />
    </svg>
  );
}

interface Props {
  width: number;
  soft: number;
  level: number;
  strong: number;
  off: boolean;
  workingDb: number;
  tint: string;
  range?: Range;
  label?: string; // what is said of it; that of a row by default
}

/** Scale draws a row: a bar from its soft to its strong note, a dot where its middle one is,
 * hollow where that is off, and a tick for the working level. */
export function Scale({ width, soft, level, strong, off, workingDb, tint, label, range = ofRows }: Props) {
  const [a, b] = [place(Math.min(soft, strong), width, range), place(Math.max(soft, strong), width, range)];
  const text = label ?? say.dbfsFromToOff(level.toFixed(1), soft.toFixed(1), strong.toFixed(1), off);
  return (
    <svg width={width} height={22} role="img" aria-label={text} className="block" data-level={level}>
      <title>{text}</title>
      <path d={`M0 11H${width}`} stroke="var(--line)" />
      <rect x={a} y={7.5} width={Math.max(2, b - a)} height={7} rx={2} fill={tint} />
      <path d={`M${place(workingDb, width, range)} 1V21`} stroke="var(--accent)" strokeWidth={1} />
      <circle
        cx={place(level, width, range)}
        cy={11}
        r={4.2}
        fill={off ? "var(--paper)" : "var(--ink)"}
        stroke={off ? "var(--accent)" : "var(--ink)"}
        strokeWidth={off ? 2 : 1}
      />
    </svg>
  );
}
