import { Pause, Play, SkipBack, X } from "lucide-react";
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import {
  barAt,
  closeScore,
  hearScoreAt,
  performing,
  type Silent,
  seek,
  toggle,
  usePerforming,
} from "../model/performing";

import { BusOptions } from "../parts/BusOptions";
import { LevelMeter, levelText } from "../parts/LevelMeter";
import { useSize } from "../parts/useSize";
import { words } from "./words";

const say = words.scoreStrip;

/** ScoreStrip is where a score is played: its bars, what of it is heard, who plays and who
 * does not, and how loud it is. */
export default function ScoreStrip() {
  return (
    <section
      aria-label={say.score}
      className="flex h-[88px] shrink-0 items-stretch gap-3 border-line border-t bg-paper px-3 py-2"
      data-part="score"
    >
      <What />
      <Ruler />
      <Listen />
      <Loud />
    </section>
  );
}

function What() {
  const { name, piece, state, silent, refused } = usePerforming((s) => s);
  const not = state === "still" && silent.length === 0 ? (piece?.silent ?? []) : silent;
  return (
    <div className="flex w-[236px] shrink-0 flex-col gap-1">
      <div className="flex items-center gap-2">
        <h2 className="truncate text-[14px]" title={name}>
          {piece?.title || name.replace(/\.[^.]*$/, "")}
        </h2>
        <button
          type="button"
          className="ml-auto grid size-6 shrink-0 place-items-center rounded-[3px] hover:bg-band"
          aria-label={say.closeTheScore}
          onClick={closeScore}
        >
          <X size={13} aria-hidden="true" />
        </button>
      </div>
      <div className="flex items-center gap-1">
        <button
          type="button"
          className="button h-6"
          aria-label={say.backToTheStart}
          disabled={!piece}
          onClick={() => seek(0)}
        >
          <SkipBack size={12} aria-hidden="true" />
        </button>
        <button
          type="button"
          className="button button-main h-6 w-20 justify-center"
          disabled={!piece}
          onClick={toggle}
          title={say.playOrPauseSpace}
        >
          {state === "playing" ? <Pause size={12} aria-hidden="true" /> : <Play size={12} aria-hidden="true" />}
          {state === "playing" ? say.pause : say.play}
        </button>
        {piece && <span className="truncate text-soft">{say.rows(piece.rows.length)}</span>}
      </div>
      {refused ? (
        <p role="status" className="truncate text-accent" title={refused}>
          {refused}
        </p>
      ) : not.length > 0 ? (
        <NotHeard list={not} />
      ) : (
        !piece && <p className="text-soft">{say.reading}</p>
      )}
    </div>
  );
}

function NotHeard({ list }: { list: readonly Silent[] }) {
  const all = list.map((s) => `${s.name}: ${s.reason}`);
  return (
    <p role="status" className="truncate text-accent" title={all.join("\n")} data-silent={list.length}>
      {list.length === 1 ? all[0] : say.notHeard(list.length, list.map((s) => s.name).join(", "))}
    </p>
  );
}

const step = [1, 2, 4, 8, 16, 32, 64, 128, 256, 512]; // bars between two numbers

function Ruler() {
  const { piece, second } = usePerforming((s) => s);
  const box = useRef<HTMLDivElement>(null);
  const width = useSize(box)?.width ?? 0;
  const held = useRef(false);
  if (!piece) return <div ref={box} className="min-w-0 flex-1" />;
  const { bars, seconds } = piece;
  const inner = Math.max(1, width - 16);
  const x = (s: number) => 8 + (s / Math.max(seconds, 1e-3)) * inner;
  const bar = barAt(bars, second);
  const every = step.find((n) => (inner / Math.max(1, bars.length)) * n >= 28) ?? 1024;
  const to = (e: PointerEvent) => {
    const left = e.currentTarget.getBoundingClientRect().left;
    const at = ((e.clientX - left - 8) / inner) * seconds;
    seek(bars[barAt(bars, Math.max(0, at)) - 1] ?? 0); // to the beginning of its bar
  };
  const key = (e: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1, PageUp: -8, PageDown: 8, Home: -bars.length, End: bars.length }[e.key];
    if (by === undefined) return;
    e.preventDefault();
    seek(bars[Math.min(bars.length, Math.max(1, bar + by)) - 1]!);
  };
  return (
    <div ref={box} className="flex min-w-0 flex-1 flex-col justify-center">
      <div
        role="slider"
        tabIndex={0}
        aria-label={say.bar}
        aria-valuemin={1}
        aria-valuemax={bars.length}
        aria-valuenow={bar}
        aria-valuetext={say.barBar(bar)}
        className="cursor-pointer"
        onKeyDown={key}
        onPointerDown={(e) => {
          held.current = true;
          e.currentTarget.setPointerCapture(e.pointerId);
          to(e);
        }}
        onPointerMove={(e) => held.current && performing.getState().state !== "playing" && to(e)}
        onPointerUp={() => {
          held.current = false;
        }}
      >
        <svg width={width} height={44} aria-hidden="true" className="block">
          <path d={`M8 30H${8 + inner}`} stroke="var(--line)" strokeWidth={2} />
          {bars.map((s, n) => (
            <path
              key={s}
              d={`M${x(s)} ${n % every === 0 ? 20 : 26}V34`}
              stroke={n % every === 0 ? "var(--soft)" : "var(--line)"}
            />
          ))}
          {bars.map(
            (s, n) =>
              n % every === 0 && (
                <text key={s} x={x(s) + 3} y={24} fontSize={11} fill="var(--soft)">
                  {n + 1}
                </text>
              ),
          )}
          <path d={`M8 30H${x(second)}`} stroke="var(--accent)" strokeWidth={2} />
          <circle cx={x(second)} cy={30} r={6} fill="var(--accent)" />
        </svg>
      </div>
      <p className="flex gap-3 px-2 tabular-nums" data-second={second.toFixed(2)}>
        <span>{say.barBar(bar)}</span>
        <span className="text-soft">{say.of(clock(second), clock(seconds))}</span>
      </p>
    </div>
  );
}

const clock = (s: number) => `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, "0")}`;

function Listen() {
  const { piece, at } = usePerforming((s) => s);
  const row = at.rows[0] ?? "";
  return (
    <div className="grid w-[264px] shrink-0 grid-cols-[68px_minmax(0,1fr)] content-center items-center gap-x-2 gap-y-1">
      <label htmlFor="score-rows" className="text-soft">
        {say.playing}
      </label>
      <select
        id="score-rows"
        className="field h-6 w-full min-w-0"
        value={row}
        onChange={(e) => {
          hearScoreAt({ ...at, rows: e.target.value ? [e.target.value] : [], dry: e.target.value ? at.dry : false });
          e.target.blur(); // keys play again
        }}
      >
        <option value="">{say.everybody}</option>
        {piece?.rows.map((r) => (
          <option key={r.id} value={r.id}>
            {r.name}
          </option>
        ))}
      </select>
      <label htmlFor="score-bus" className="text-soft">
        {say.heard}
      </label>
      <select
        id="score-bus"
        className="field h-6 w-full min-w-0"
        value={at.dry ? "dry" : `bus ${at.bus}`}
        onChange={(e) => {
          const [as, bus = ""] = e.target.value.split(" ");
          hearScoreAt({ ...at, dry: as === "dry", bus });
          e.target.blur();
        }}
      >
        <option value="bus ">{say.inTheMix}</option>
        {row && <option value="dry">{say.byItself}</option>}
        <BusOptions value={(id) => `bus ${id}`} />
      </select>
    </div>
  );
}

function Loud() {
  const { rms, peak, gaps, pace } = usePerforming((s) => s);
  return (
    <div className="flex w-[160px] shrink-0 flex-col">
      <span data-score-level={rms} className="tabular-nums">
        {levelText(rms)}
      </span>
      <LevelMeter rms={rms} peak={peak} />
      <p className="text-soft" data-score-gaps={gaps}>
        {gaps > 0 ? say.gaps(gaps) : pace ? say.renderedAtRealTime(pace.toFixed(1)) : ""}
      </p>
    </div>
  );
}
