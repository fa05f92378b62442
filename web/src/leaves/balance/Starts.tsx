import { useEffect, useState } from "react";
import type { Instrument } from "../../model/api";
import { startWith } from "../../model/balance";
import { set, tell, useApp } from "../../model/store";
import { words } from "./words";

const say = words.starts;

const controls = [
  [1, say.dynamics],
  [11, say.expression],
  [91, say.reverberation],
] as const;

/** Starts tells with which controller values the selected rows begin, and what the dynamics
 * do to the first of them. */
export function Starts({ strengths }: { strengths: readonly number[] }) {
  const sheet = useApp((s) => s.sheet)!;
  const selection = useApp((s) => s.selection);
  const rows = [...selection].flatMap((id) => {
    const i = sheet.instruments.byId.get(id);
    return i?.kind === "sampled" ? [i] : [];
  });
  if (rows.length === 0) return null;
  const choice = (i: Instrument) => i.patches.some((p) => (sheet.patches.byId.get(p)?.mics?.length ?? 0) > 1);
  const usual = new Map(sheet.settings.upbeat.map((c) => [c.number, c.value]));
  return (
    <section
      className="flex shrink-0 flex-wrap items-center gap-x-4 gap-y-1 border-line border-t px-3 py-1.5"
      aria-label={say.upbeat}
      data-part="starts"
    >
      <span className="min-w-32 max-w-full truncate">
        {rows.length === 1 ? rows[0]!.name : say.rows(rows.length)} <span className="text-soft">{say.beginWith}</span>
      </span>
      {controls.map(([number, text]) => (
        <Value key={number} number={number} text={text} rows={rows} usual={usual.get(number)} />
      ))}
      {rows.length === 1 && choice(rows[0]!) && (
        <button
          type="button"
          className="button h-6"
          title={say.whichMicrophonePositionsBring}
          onClick={() => set({ dialog: "microphones" })}
        >
          {say.microphones}
        </button>
      )}
      <Curve strengths={strengths} row={rows[0]!} at={own(rows[0]!, 1) ?? usual.get(1)} />
    </section>
  );
}

const own = (i: Instrument, number: number) => i.upbeat?.find((c) => c.number === number)?.value;

function Value({
  number,
  text,
  rows,
  usual,
}: {
  number: number;
  text: string;
  rows: readonly Instrument[];
  usual: number | undefined;
}) {
  const values = new Set(rows.map((i) => own(i, number)));
  const shown = values.size === 1 ? String([...values][0] ?? "") : "";
  const [typed, setTyped] = useState(shown);
  useEffect(() => setTyped(shown), [shown, rows.length]);
  const keep = () => {
    if (typed.trim() === shown) return;
    const value = typed.trim() === "" ? null : Number(typed);
    if (value !== null && !(Number.isInteger(value) && value >= 0 && value <= 127)) {
      tell(say.aControllerValueIs0, "refused");
      return setTyped(shown);
    }
    void startWith(rows, number, value);
  };
  return (
    <label className="flex items-center gap-1.5">
      <span className="text-soft">{text}</span>
      <input
        className="field h-6 w-14 text-right"
        aria-label={say.upbeatText(text)}
        title={say.controllerEmptyUses(number)}
        placeholder={values.size > 1 ? say.several : usual === undefined ? "–" : String(usual)}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={keep}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
    </label>
  );
}

const [width, height, floor] = [96, 30, -48];

/** Curve draws how loud a row is over its dynamics, as it was measured, and where it begins. */
function Curve({ strengths, row, at }: { strengths: readonly number[]; row: Instrument; at: number | undefined }) {
  if (!row.heard || row.heard.silent) return null;
  const x = (v: number) => (v / 127) * width;
  const y = (db: number) => (1 - (Math.max(floor, Math.min(0, db)) - floor) / -floor) * (height - 4) + 2;
  const levels = row.heard.levels.map((db) => db + (row.levelTrimDb ?? 0));
  const line = strengths.map((s, n) => `${x(s)} ${y(levels[n]!)}`).join("L");
  const text = say.measured(strengths.map((s, n) => say.dbfsAt(levels[n]!.toFixed(1), s)).join(", "));
  return (
    <svg width={width} height={height} role="img" aria-label={text} className="ml-auto shrink-0">
      <title>{text}</title>
      <path d={`M0 ${height - 1}H${width}`} stroke="var(--line)" />
      <path d={`M${line}`} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
      {at !== undefined && <path d={`M${x(at)} 2V${height - 1}`} stroke="var(--accent)" />}
    </svg>
  );
}
