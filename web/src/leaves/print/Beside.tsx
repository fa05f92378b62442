import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Schemas } from "../../model/api";
import { lay, turn, useHeard } from "../../model/printplayer";
import { differsOf, type PrintRow, type PrintWhole, printOf, shapeOf } from "../../model/prints";
import { chosenPrint, useChosenPrint } from "./chosen";
import { words } from "./words";

const say = words.beside;

type Figures = Schemas["AuditFigures"];

/** mixOf is the mix of a print: its figures, and the number of its file. */
function mixOf(print: PrintWhole | undefined) {
  const figures =
    print?.report?.files.find((f) => f.role === "mix") ??
    print?.report?.files.find((f) => f.role === "limited") ??
    print?.report?.files[0];
  const file = print?.files.find((f) => f.path === figures?.name);
  return figures && file ? { figures, number: file.number } : null;
}

/** Beside chooses another print, to be compared with and heard instead. */
export function Beside({ print, prints }: { print: PrintWhole; prints: readonly PrintRow[] }) {
  const against = useChosenPrint((s) => s.against);
  const row = prints.find((p) => p.id === against);
  const others = prints.filter((p) => p.id !== print.id && p.state === "done" && !p.ask.over);
  return (
    <>
      {others.length > 0 && (
        <select
          className="field max-w-[220px]"
          aria-label={say.compareWith}
          value={row?.id ?? ""}
          onChange={(e) => chosenPrint.setState({ against: e.target.value || null })}
        >
          <option value="">{say.compareWithDots}</option>
          {others.map((p) => (
            <option key={p.id} value={p.id}>
              {say.v(p.title, p.version)}
            </option>
          ))}
        </select>
      )}
      {row && <Instead key={row.id} print={print} row={row} />}
    </>
  );
}

/** Instead has the other print heard, as loud as this one where that is wished. */
function Instead({ print, row }: { print: PrintWhole; row: PrintRow }) {
  const { data } = useQuery(printOf(row.id, row.state, row.line));
  const other = useHeard((s) => s.other);
  const [matched, setMatched] = useState(row.title !== print.title);
  const here = mixOf(print);
  const there = mixOf(data);
  const files = useHeard((s) => s.files);
  const same = data && sameFiles(print, data, files);
  const by = here && there && matched ? here.figures.lufs - there.figures.lufs : 0;
  const wanted = same && same.length > 0 ? same : there ? [there.number] : [];
  const key = JSON.stringify(wanted);
  const rate = data?.report?.rateHz;
  const offset = here && there ? beginsLater(here.figures, there.figures, row.title === print.title) : 0;
  useEffect(() => {
    if (!rate) return;
    lay({ print: row.id, rate, files: JSON.parse(key) as number[], gain: 10 ** (by / 20), offset });
    return () => lay(null);
  }, [row.id, rate, key, by, offset]);
  return (
    <>
      <button
        type="button"
        className={`button ${other ? "button-main" : ""}`}
        aria-pressed={other}
        onClick={() => turn(!other)}
      >
        {say.hearItInstead}
      </button>
      <label className="flex items-center gap-1.5">
        <input type="checkbox" checked={matched} onChange={(e) => setMatched(e.target.checked)} />
        {say.asLoudAsThis}
      </label>
      {by !== 0 && (
        <span className="text-soft tabular-nums">
          {by > 0 ? "+" : "−"}
          {Math.abs(by).toFixed(1)} dB
        </span>
      )}
    </>
  );
}

/** sameFiles are those of another print that are the same stems as some of this one's. */
function sameFiles(print: PrintWhole, other: PrintWhole, numbers: readonly number[]) {
  return numbers.flatMap((n) => {
    const f = print.files.find((x) => x.number === n);
    return other.files.filter((x) => f && x.bus !== "" && x.bus === f.bus && x.role === f.role).map((x) => x.number);
  });
}

/** beginsLater is by how much a file begins before another on the same timecode, s. */
function beginsLater(here: Figures, there: Figures, same: boolean) {
  if (!same || here.begin < 0 || there.begin < 0) return 0;
  return here.begin / here.rateHz - there.begin / there.rateHz;
}

/** Differs says how a file differs from the same one of the other print. */
export function Differs({ print, number, against }: { print: string; number: number; against: string }) {
  const { data, isPending } = useQuery(differsOf(print, number, against));
  return (
    <span
      data-part="differs"
      className={`pointer-events-none absolute top-0.5 right-1 bg-paper px-1 ${data && !data.same ? "text-accent" : "text-soft"}`}
    >
      {isPending ? say.comparing : (data?.line ?? say.itCannotBeCompared)}
    </span>
  );
}

const tall = 74;
const lowest = -70; // LUFS and dBFS, the foot of both drawings
const highest = 0;

/** Shapes draws the loudness over time and the spectrum of this mix and of the other. */
export function Shapes({ print, row, gutter, width, from, to }: ShapesProps) {
  const { data: whole } = useQuery(printOf(row.id, row.state, row.line));
  const here = mixOf(print);
  const there = mixOf(whole);
  const { data: a } = useQuery({ ...shapeOf(print.id, here?.number ?? 0), enabled: here !== null });
  const { data: b } = useQuery({ ...shapeOf(row.id, there?.number ?? 0), enabled: there !== null });
  const wide = Math.min(360, Math.round(width * 0.38));
  const first = width - wide - 12;
  const offset = here && there ? beginsLater(here.figures, there.figures, row.title === print.title) : 0;
  const y = (db: number) => tall * (1 - (Math.max(lowest, Math.min(highest, db)) - lowest) / (highest - lowest));
  const over = (x: typeof a, by: number) =>
    (x?.seconds ?? [])
      .map((db, s) => ({ at: s + 1 - by, db }))
      .filter(({ at }) => at >= from && at <= to)
      .map(
        ({ at, db }, n) =>
          `${n === 0 ? "M" : "L"}${(((at - from) / (to - from)) * first).toFixed(1)} ${y(db).toFixed(1)}`,
      )
      .join("");
  const level = a && b ? a.lufs - b.lufs : 0; // spectra are laid over each other as loud as each other
  const thirds = (x: typeof a, by: number) =>
    (x?.thirds ?? [])
      .map((db, n) => `${n === 0 ? "M" : "L"}${((n / 29) * wide).toFixed(1)} ${y(db + by).toFixed(1)}`)
      .join("");
  const lines = (one: string, two: string) => (
    <>
      <path d={two} className="fill-none stroke-accent" strokeWidth={1.4} strokeDasharray="5 3" />
      <path d={one} className="fill-none stroke-ink" strokeWidth={1.4} />
    </>
  );
  return (
    <div className="flex shrink-0 border-line border-b py-1" data-part="shapes">
      <div className="flex flex-col justify-center px-3" style={{ width: gutter }}>
        <span className="truncate">
          <span aria-hidden="true">— </span>
          {say.vOf(a ? `${a.lufs.toFixed(1)} LUFS` : "…", print.title, print.version)}
        </span>
        <span className="truncate text-accent">
          <span aria-hidden="true">- - </span>
          {say.vOf(b ? `${b.lufs.toFixed(1)} LUFS` : "…", row.title, row.version)}
        </span>
      </div>
      <svg width={first} height={tall} role="img" aria-label={say.loudnessOverTime}>
        {lines(over(a, 0), over(b, offset))}
        <text x={2} y={11} className="fill-soft text-[11px]">
          {say.loudnessLufs}
        </text>
      </svg>
      <svg width={wide} height={tall} className="ml-3" role="img" aria-label={say.spectrum}>
        {[100, 1000, 5000].map((hz) => {
          const x = ((16 + 3 * Math.log2(hz / 1000)) / 29) * wide;
          return (
            <g key={hz}>
              <line x1={x} x2={x} y1={0} y2={tall} className="stroke-line" />
              <text x={x + 2} y={tall - 3} className="fill-soft text-[11px]">
                {hz < 1000 ? `${hz} Hz` : `${hz / 1000} kHz`}
              </text>
            </g>
          );
        })}
        {lines(thirds(a, 0), thirds(b, level))}
      </svg>
    </div>
  );
}

interface ShapesProps {
  print: PrintWhole;
  row: PrintRow;
  gutter: number; // px, before the drawings
  width: number;
  from: number; // s
  to: number;
}
