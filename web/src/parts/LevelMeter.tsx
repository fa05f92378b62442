import { words } from "./words";

const say = words.levelMeter;
const floor = -60; // dB, the left end of the scale
const marks = [-60, -48, -36, -24, -18, -12, -6, 0];
const long = 150;
const at = (db: number) => ((Math.min(0, Math.max(floor, db)) - floor) / -floor) * long;

/** levelText is a level in words. */
export const levelText = (rms: number) => (rms <= -100 ? say.silent : `${rms.toFixed(1)} dBFS`);

/** LevelMeter shows how strong what is heard is: a dot for its RMS, a stroke for its peak, a
 * long tick at the working level. */
export function LevelMeter({ rms, peak }: { rms: number; peak: number }) {
  const text = levelText(rms);
  return (
    <svg width={long + 8} height={34} role="img" aria-label={say.levelPeakDb(text, peak.toFixed(1))}>
      <title>{say.levelPeakDbTheLong(text, peak.toFixed(1))}</title>
      <path d={`M4 18H${long + 4}`} stroke="var(--line)" />
      {marks.map((m) => (
        <path
          key={m}
          d={`M${4 + at(m)} ${m === -18 ? 8 : 14}V22`}
          stroke={m === -18 ? "var(--accent)" : "var(--soft)"}
        />
      ))}
      {[-48, -18, 0].map((m) => (
        <text key={m} x={4 + at(m)} y={32} fontSize={10} textAnchor={m === 0 ? "end" : "middle"} fill="var(--soft)">
          {m}
        </text>
      ))}
      {rms > floor && <circle cx={4 + at(rms)} cy={18} r={4} fill="var(--ink)" />}
      {peak > floor && <path d={`M${4 + at(peak)} 13V23`} stroke="var(--ink)" strokeWidth={2} />}
    </svg>
  );
}
