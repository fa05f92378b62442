/** The scale of levels: from soft to loud, dBFS. */
export const floor = -66;
const ticks = [-60, -48, -36, -24, -12, 0];

/** place is where a level stands on a scale so wide. */
export const place = (db: number, width: number) => ((Math.min(0, Math.max(floor, db)) - floor) / -floor) * width;

/** ScaleHead names the levels above the rows. */
export function ScaleHead({ width, workingDb }: { width: number; workingDb: number }) {
  return (
    <svg
      width={width}
      height={20}
      role="img"
      aria-label={`Levels from ${floor} to 0 dBFS`}
      className="block overflow-visible"
    >
      <title>{`Levels from ${floor} to 0 dBFS; the long tick is the working level, ${workingDb}`}</title>
      {ticks.map((t) => (
        <text
          key={t}
          x={place(t, width)}
          y={13}
          textAnchor={t === 0 ? "end" : "middle"}
          fontSize={11}
          fill="var(--soft)"
        >
          {t}
        </text>
      ))}
      <path d={`M${place(workingDb, width)} 16V20`} stroke="var(--accent)" strokeWidth={1.5} />
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
}

/** Scale draws a row: a bar from its soft to its strong note, a dot where its middle one is,
 * hollow where that is off, and a tick for the working level. */
export function Scale({ width, soft, level, strong, off, workingDb, tint }: Props) {
  const [a, b] = [place(Math.min(soft, strong), width), place(Math.max(soft, strong), width)];
  const text = `${level.toFixed(1)} dBFS, from ${soft.toFixed(1)} to ${strong.toFixed(1)}${off ? "; off the working level" : ""}`;
  return (
    <svg width={width} height={22} role="img" aria-label={text} className="block">
      <title>{text}</title>
      <path d={`M0 11H${width}`} stroke="var(--line)" />
      <rect x={a} y={7.5} width={Math.max(2, b - a)} height={7} rx={2} fill={tint} />
      <path d={`M${place(workingDb, width)} 1V21`} stroke="var(--accent)" strokeWidth={1} />
      <circle
        cx={place(level, width)}
        cy={11}
        r={4.2}
        fill={off ? "var(--paper)" : "var(--ink)"}
        stroke={off ? "var(--accent)" : "var(--ink)"}
        strokeWidth={off ? 2 : 1}
      />
    </svg>
  );
}
