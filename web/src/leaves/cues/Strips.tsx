import { useQueries, useQuery } from "@tanstack/react-query";
import {
  type KeyboardEvent,
  memo,
  type PointerEvent,
  useEffect,
  useMemo,
  useRef,
  useState,
  type WheelEvent,
} from "react";
import type { Schemas } from "../../model/api";
import {
  type Cue,
  type CutEvent,
  called,
  type Film,
  filmed,
  films,
  frameOfTick,
  nearestTick,
  placeAt,
  type Reel,
  type Settings,
  setCue,
  spanOf,
  useFilm,
} from "../../model/film";
import { frameShown, goBy, reelAt, showAt } from "../../model/picture";
import { explain } from "../../model/store";
import { counted, type FrameRate, timecode } from "../../model/timecode";
import { useSize } from "../../parts/useSize";
import { isBlack, shotAt, shotTints } from "./shots";
import { words } from "./words";

const say = words.strips;

const label = 44; // room for the name of a reel, px
const near = 6; // how near something snaps, px

/** Drag is what the pointer moves: a cue, one of its ends, or one of its hits, markers, tempi or
 * metres. */
interface Drag {
  id: string;
  part: "start" | "end" | "all" | "hit" | "marker" | "tempo" | "metre";
  n: number; // of the hit, the marker, the tempo or the metre
  from: number; // frames under the pointer when it began
  start: number; // where the cue begins now
  end: number;
  at: number; // where the hit, the marker, the tempo or the metre stands now
  stood: number; // where it stood when it began
}

/** dragged is a cue as it is while the pointer moves it. */
function dragged(c: Cue, d: Drag, bars: readonly Schemas["CueBar"][]): Cue {
  switch (d.part) {
    case "hit":
      return { ...c, hits: (c.hits ?? []).map((h, n) => (n === d.n ? { ...h, frame: d.at } : h)) };
    case "marker":
      return {
        ...c,
        markers: (c.markers ?? []).map((m, n) =>
          n !== d.n
            ? m
            : m.frame === undefined
              ? { ...m, tick: nearestTick(bars, d.at) ?? m.tick! }
              : { ...m, frame: d.at },
        ),
      };
    case "tempo": {
      const tick = nearestBar(bars, d.at)?.tick;
      const others = c.tempi.filter((_, n) => n !== d.n);
      if (tick === undefined || tick === 0 || others.some((t) => t.tick === tick)) return c;
      return { ...c, tempi: [...others, { ...c.tempi[d.n]!, tick }].sort((a, b) => a.tick - b.tick) };
    }
    case "metre": {
      const bar = nearestBar(bars, d.at)?.bar;
      const others = c.metres.filter((_, n) => n !== d.n);
      if (bar === undefined || bar === 1 || others.some((m) => m.bar === bar)) return c;
      return { ...c, metres: [...others, { ...c.metres[d.n]!, bar }].sort((a, b) => a.bar - b.bar) };
    }
  }
  return { ...c, start: d.start, end: d.end };
}

/** nearestBar is the bar that begins nearest to a frame. */
function nearestBar(bars: readonly Schemas["CueBar"][], frame: number) {
  let best: Schemas["CueBar"] | undefined;
  for (const b of bars) if (!best || Math.abs(b.beats[0]! - frame) < Math.abs(best.beats[0]! - frame)) best = b;
  return best;
}

/** Strips draws every reel as a strip: its shots, its cues, and timecode under them. */
export function Strips({ film }: { film: Film }) {
  const box = useRef<HTMLDivElement>(null);
  const width = Math.max(200, (useSize(box)?.width ?? 900) - label - 12);
  const spans = film.reels.map((r) => spanOf(film, r));
  const longest = Math.max(counted(film.settings.frame) * 60, ...spans.map((s) => s.end - s.start));
  const [view, setView] = useState<{ offset: number; frames: number } | null>(null); // null shows all
  const frames = Math.min(view?.frames ?? longest, longest);
  const offset = Math.max(0, Math.min(view?.offset ?? 0, longest - frames));
  const zoom = (by: number, at = 0.5) => {
    const next = Math.max(48, frames * by);
    setView(next >= longest ? null : { frames: next, offset: offset + (frames - next) * at });
  };
  // The buttons go by the playhead, which stays where it is or comes to the middle.
  const zoomHere = (by: number) => {
    const into = intoReel(film);
    const at = into === null ? 0.5 : (into - offset) / frames;
    if (at >= 0 && at <= 1) return zoom(by, at);
    const next = Math.max(48, frames * by);
    setView(next >= longest ? null : { frames: next, offset: into! - next / 2 });
  };
  // The strips follow the playhead when it leaves them.
  const now = useRef({ view, offset, frames });
  now.current = { view, offset, frames };
  useEffect(
    () =>
      films.subscribe((s, before) => {
        const { view, offset, frames } = now.current;
        if (!view || !s.film || s.at === null || s.at === before.at) return;
        const into = intoReel(s.film);
        if (into !== null && (into < offset || into > offset + frames))
          setView({ frames, offset: into - (into < offset ? 0.9 : 0.1) * frames });
      }),
    [],
  );
  const wheel = (e: WheelEvent) => {
    if (e.ctrlKey || e.metaKey) {
      const left = e.currentTarget.getBoundingClientRect().left + label;
      zoom(e.deltaY > 0 ? 1.25 : 0.8, Math.min(1, Math.max(0, (e.clientX - left) / width)));
    } else if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) {
      setView({ frames, offset: offset + ((e.deltaX || e.deltaY) / width) * frames });
    }
  };
  return (
    <section aria-label={say.reels} className="shrink-0 border-line border-b" ref={box} onWheel={wheel}>
      <div className="flex items-center gap-2 px-3 py-1">
        <Playhead film={film} />
        <div className="ml-auto flex items-center gap-1">
          {view && (
            <input
              type="range"
              className="w-40"
              aria-label={say.whereTheStripsBegin}
              min={0}
              max={Math.max(1, Math.round(longest - frames))}
              value={Math.round(offset)}
              onChange={(e) => setView({ frames, offset: Number(e.target.value) })}
            />
          )}
          <button
            type="button"
            className="button h-6"
            aria-label={say.zoomOut}
            onClick={() => zoomHere(2)}
            disabled={!view}
          >
            −
          </button>
          <button
            type="button"
            className="button h-6"
            aria-label={say.zoomIn}
            onClick={() => zoomHere(0.5)}
            disabled={frames <= 48}
          >
            +
          </button>
          <button type="button" className="button h-6" onClick={() => setView(null)} disabled={!view}>
            {say.wholeReels}
          </button>
        </div>
      </div>
      <div className="max-h-[42vh] overflow-y-auto pb-1">
        {film.reels.length === 0 && <p className="px-3 py-2 text-soft">{say.noReelYetAdd}</p>}
        {film.reels.map((r) => (
          <Strip key={r.id} film={film} reel={r} width={width} from={r.start + offset} frames={frames} />
        ))}
      </div>
      <Marks film={film} />
    </section>
  );
}

/** intoReel is how far into its reel the playhead stands, or the chosen cue begins; null for
 * nowhere. */
function intoReel(film: Film): number | null {
  const { at } = films.getState();
  const reel = reelAt(film, at);
  return reel ? frameShown(film, reel, at) - reel.start : null;
}

/** Playhead tells where the playhead stands: timecode, and the bar and beat of the cue there. */
function Playhead({ film }: { film: Film }) {
  const at = useFilm((s) => s.at);
  const cue = at === null ? undefined : film.cues.find((c) => at >= c.start && at < c.end);
  const { data } = useQuery({ ...filmed.bars(film.id, film.revision, cue?.id ?? ""), enabled: cue !== undefined });
  if (at === null) return <span className="text-soft">{say.clickAStripToSet}</span>;
  const place = cue && data ? placeAt(data, at) : null;
  return (
    <span data-part="playhead">
      <strong className="text-[15px]">{timecode(film.settings.frame, at)}</strong>
      {place && (
        <span className="ml-2">
          {say.barBeat(place.bar, place.beat)} <span className="text-soft">{say.of(called(cue!))}</span>
        </span>
      )}
    </span>
  );
}

function Marks({ film }: { film: Film }) {
  const [all, setAll] = useState(false);
  if (film.marks.length === 0) return null;
  const shown = all ? film.marks : film.marks.slice(0, 1);
  return (
    <ul className="border-line border-t px-3 py-1" data-part="film-marks">
      {shown.map((m) => (
        <li key={`${m.code}${m.cue}${m.reel}${m.message}`} className="flex gap-2">
          <button
            type="button"
            className="truncate text-left text-accent"
            title={m.remedy}
            onClick={() => m.cue && films.setState({ chosen: new Set([m.cue]) })}
          >
            ! {m.message}
          </button>
          <button
            type="button"
            className="link ml-auto shrink-0 text-soft"
            title={say.whatThisMarkMeans}
            onClick={() => explain("marks", m.code)}
          >
            {m.code}
          </button>
        </li>
      ))}
      {film.marks.length > 1 && (
        <li>
          <button type="button" className="link" onClick={() => setAll(!all)}>
            {all ? say.onlyTheFirst : say.andMore(film.marks.length - 1)}
          </button>
        </li>
      )}
    </ul>
  );
}

interface StripProps {
  film: Film;
  reel: Reel;
  width: number;
  from: number; // the first frame that shows
  frames: number;
}

const ruler = 15;
const shots = 20;
const bar = 26;
const height = ruler + shots + bar + 6;

/** Scale is where frames lie on a strip, px. */
interface Scale {
  from: number;
  to: number;
  x: (frame: number) => number;
  frame: (px: number) => number;
}

const scaleOf = (width: number, from: number, frames: number): Scale => ({
  from,
  to: from + frames,
  x: (f) => label + ((f - from) / frames) * width,
  frame: (px) => from + ((px - label) / width) * frames,
});

const none: readonly CutEvent[] = [];
const noBars: readonly Schemas["CueBar"][] = [];

function Strip({ film, reel, width, from, frames }: StripProps) {
  const chosen = useFilm((s) => s.chosen);
  const [drag, show] = useState<Drag | null>(null);
  const held = useRef<Drag | null>(null); // as the pointer has it, drawn or not
  const setDrag = (d: Drag | null) => {
    held.current = d;
    show(d);
  };
  const frame = film.settings.frame;
  const picture = film.cuts.find((c) => c.id === film.settings.cut)?.reels.find((r) => r.reel === reel.id);
  const { data: events = none } = useQuery({
    ...filmed.events(film.id, film.settings.cut, reel.id, picture?.events ?? 0),
    enabled: picture !== undefined,
  });
  const span = spanOf(film, reel);
  const scale = useMemo(() => scaleOf(width, from, frames), [width, from, frames]);
  const { x, frame: f } = scale;
  const { data: bars = noBars } = useQuery({
    ...filmed.bars(film.id, film.revision, drag?.id ?? ""),
    enabled: drag !== null && ["marker", "tempo", "metre"].includes(drag.part),
  });
  const cues = film.cues.filter((c) => c.reel === reel.id).map((c) => (drag?.id === c.id ? dragged(c, drag, bars) : c));
  const snap = (value: number, own?: string) => {
    const most = (near / width) * frames;
    let best = Math.round(value);
    let off = most;
    const offer = (to: number) => {
      if (Math.abs(to - value) < off) {
        off = Math.abs(to - value);
        best = to;
      }
    };
    for (const e of events) {
      offer(e.start);
      offer(e.end);
    }
    for (const c of film.cues) {
      if (c.id === own || c.reel !== reel.id) continue;
      offer(c.start);
      offer(c.end);
      for (const m of c.markers ?? []) if (m.frame !== undefined) offer(m.frame);
    }
    const { at } = films.getState();
    if (own && at !== null) offer(at);
    offer(span.start);
    return best;
  };
  const place = (e: PointerEvent) => f(e.clientX - e.currentTarget.getBoundingClientRect().left);
  const down = (e: PointerEvent<SVGSVGElement>) => {
    if (e.button !== 0) return; // others open the menu
    const on = (e.target as Element).closest<SVGElement>("[data-cue]");
    const px = e.clientX - e.currentTarget.getBoundingClientRect().left;
    if (!on) {
      showAt(Math.max(span.start, e.altKey ? Math.round(f(px)) : snap(f(px))));
      return;
    }
    const cue = film.cues.find((c) => c.id === on.dataset.cue)!;
    const next = e.ctrlKey || e.metaKey ? new Set(chosen) : new Set<string>();
    next.add(cue.id);
    films.setState({ chosen: next });
    e.currentTarget.setPointerCapture(e.pointerId);
    const data: DOMStringMap = (e.target as Element).closest<SVGElement>("[data-at]")?.dataset ?? {};
    const inner = (["hit", "marker", "tempo", "metre"] as const).find((k) => data[k] !== undefined);
    const part = inner ?? (px - x(cue.start) < near ? "start" : x(cue.end) - px < near ? "end" : "all");
    const n = inner ? Number(data[inner]) : -1;
    const at = Number(data.at ?? 0);
    setDrag({ id: cue.id, part, n, from: f(px), start: cue.start, end: cue.end, at, stood: at });
  };
  const move = (e: PointerEvent<SVGSVGElement>) => {
    const drag = held.current;
    if (!drag) return;
    const cue = film.cues.find((c) => c.id === drag.id)!;
    const by = place(e) - drag.from;
    const to = (v: number) => (e.altKey ? Math.round(v) : snap(v, cue.id));
    if (drag.n >= 0) {
      setDrag({ ...drag, at: Math.max(0, to(drag.stood + by)) });
    } else if (drag.part === "start")
      setDrag({ ...drag, start: Math.min(cue.end - 1, Math.max(0, to(cue.start + by))) });
    else if (drag.part === "end") setDrag({ ...drag, end: Math.max(cue.start + 1, to(cue.end + by)) });
    else {
      const start = Math.max(0, to(cue.start + by));
      setDrag({ ...drag, start, end: start + cue.end - cue.start });
    }
  };
  const up = () => {
    const drag = held.current;
    if (!drag) return;
    held.current = null;
    const cue = film.cues.find((c) => c.id === drag.id)!;
    const now = dragged(cue, drag, bars);
    const set: Partial<Cue> = {
      hit: () => ({ hits: now.hits!.toSorted((a, b) => a.frame - b.frame) }),
      marker: () => ({ markers: now.markers! }),
      tempo: () => ({ tempi: now.tempi }),
      metre: () => ({ metres: now.metres }),
      start: () => ({ start: now.start, end: now.end }),
      end: () => ({ start: now.start, end: now.end }),
      all: () => ({ start: now.start, end: now.end }),
    }[drag.part]();
    const same = (Object.keys(set) as (keyof typeof set)[]).every(
      (k) => JSON.stringify(cue[k]) === JSON.stringify(set[k]),
    );
    if (same) setDrag(null);
    else void setCue(cue.id, set).finally(() => setDrag(null));
  };
  const keys = (e: KeyboardEvent) => {
    const step = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
    if (!step) return;
    e.preventDefault();
    e.stopPropagation();
    const by = e.shiftKey ? step * counted(frame) : step;
    goBy(by);
  };
  const shown = (a: number, b: number) => b > from && a < from + frames;
  return (
    <svg
      width={width + label + 6}
      height={height}
      className="block touch-none select-none will-change-transform"
      role="application"
      aria-label={say.reel(reel.name)}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: the playhead is moved by keys
      tabIndex={0}
      data-strip={reel.name}
      data-from={from}
      data-frames={frames}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={() => setDrag(null)}
      onKeyDown={keys}
    >
      <title>{say.reelFromTo(reel.name, timecode(frame, span.start), timecode(frame, span.end))}</title>
      <clipPath id={`reel-${reel.id}`}>
        <rect x={label} y={0} width={width} height={height} />
      </clipPath>
      <text x={4} y={ruler + shots - 5} fontSize={14} fontWeight={600} fontFamily="var(--font-serif)" fill="var(--ink)">
        {say.r(reel.name)}
      </text>
      <g clipPath={`url(#reel-${reel.id})`}>
        <rect
          x={x(span.start)}
          y={ruler}
          width={Math.max(0, x(span.end) - x(span.start))}
          height={shots + bar}
          fill="var(--band)"
        />
        <Ticks reel={reel} frame={frame} scale={scale} width={width} />
        <Shots events={events} scale={scale} />
        {cues.map(
          (c) =>
            shown(c.start, c.end) && (
              <CueBlock
                key={c.id}
                cue={c}
                scale={scale}
                settings={film.settings}
                chosen={chosen.has(c.id)}
                dragged={drag?.id === c.id}
              />
            ),
        )}
        <BarLines film={film} cues={cues.filter((c) => chosen.has(c.id) && shown(c.start, c.end))} x={x} />
        <Here scale={scale} />
      </g>
      {drag && (
        <text x={label + width} y={11} textAnchor="end" fontSize={11} fill="var(--ink)" fontWeight={600}>
          {drag.n >= 0 ? timecode(frame, drag.at) : `${timecode(frame, drag.start)} – ${timecode(frame, drag.end)}`}
        </text>
      )}
    </svg>
  );
}

/** Here is the line of the playhead: it alone is drawn again while the picture plays. */
function Here({ scale: { x, from, to } }: { scale: Scale }) {
  const at = useFilm((s) => s.at);
  if (at === null || at < from || at > to) return null;
  return <path d={`M${x(at)} 2V${height}`} stroke="var(--accent)" strokeWidth={1.5} data-playhead={at} />;
}

interface TicksProps {
  reel: Reel;
  frame: FrameRate;
  scale: Scale;
  width: number;
}

/** Ticks are the timecodes along a strip, as near as there is room for. */
const Ticks = memo(function Ticks({ reel, frame, scale: { x, from, to }, width }: TicksProps) {
  const c = counted(frame);
  const room = width / (to - from); // for a frame, px
  const every =
    [1, 2, 5, 10, ...[1, 2, 5, 10, 30, 60, 120, 300, 600].map((n) => n * c)].find((n) => n * room >= 84) ?? 1200 * c;
  const ticks: number[] = [];
  for (let n = Math.ceil((from - reel.start) / every); n * every + reel.start <= to; n++)
    ticks.push(n * every + reel.start);
  const single: number[] = []; // frames, where they can be told apart
  if (room >= 5) for (let n = Math.ceil(from); n <= to; n++) single.push(n);
  return (
    <>
      {single.length > 0 && (
        <path d={single.map((n) => `M${x(n)} ${ruler - 3}v3`).join("")} stroke="var(--soft)" data-part="frames" />
      )}
      {ticks.map((t) => (
        <g key={t}>
          <path d={`M${x(t)} ${ruler - 4}V${height - 6}`} stroke="var(--line)" />
          <text x={x(t) + 3} y={11} fontSize={11} fill="var(--soft)">
            {timecode(frame, t)}
          </text>
        </g>
      ))}
    </>
  );
});

const small = 6; // shots narrower than this are drawn together, px

/** Shots are those of a strip that show. Small ones are one path for each tint: a reel may have
 * thousands. */
const Shots = memo(function Shots({ events, scale }: { events: readonly CutEvent[]; scale: Scale }) {
  const { x, from, to } = scale;
  const out = [];
  const together = new Map<string, string>();
  let drawn = 0; // where the last small one ended, px
  for (let n = Math.max(0, shotAt(events, from)); n < events.length && events[n]!.start < to; n++) {
    const e = events[n]!;
    const [a, b] = [x(e.start), x(e.end)];
    if (b - a >= small) out.push(<Shot key={e.start} event={e} n={n} x={x} />);
    else if (b - drawn >= 0.5) {
      const tint = isBlack(e) ? "ink" : `tint-${shotTints[n % shotTints.length]}`;
      const left = Math.max(a, drawn);
      together.set(
        tint,
        `${together.get(tint) ?? ""}M${left.toFixed(1)} ${ruler}H${b.toFixed(1)}v${shots}H${left.toFixed(1)}Z`,
      );
      drawn = b;
    }
  }
  return (
    <>
      {[...together].map(([tint, d]) => (
        <path key={tint} d={d} fill={`var(--${tint})`} opacity={tint === "ink" ? 0.7 : 0.45} data-shots={tint} />
      ))}
      {out}
    </>
  );
});

function Shot({ event, n, x }: { event: CutEvent; n: number; x: (f: number) => number }) {
  const [a, b] = [x(event.start), x(event.end)];
  const name = event.clip || event.source || "";
  const black = isBlack(event);
  const left = Math.max(a, label);
  const room = Math.floor((b - left - 6) / 6);
  return (
    <g data-shot={n + 1}>
      <title>{name}</title>
      <rect
        x={a}
        y={ruler}
        width={Math.max(0.5, b - a - 0.5)}
        height={shots}
        fill={black ? "var(--ink)" : `var(--tint-${shotTints[n % shotTints.length]})`}
        opacity={black ? 0.7 : 0.45}
      />
      {room > 2 && !black && (
        <text x={left + 4} y={ruler + 14} fontSize={11} fill="var(--ink)">
          {name.length > room ? `${name.slice(0, room - 1)}…` : name}
        </text>
      )}
    </g>
  );
}

interface BlockProps {
  settings: Settings;
  cue: Cue;
  scale: Scale;
  chosen: boolean;
  dragged: boolean;
}

const CueBlock = memo(function CueBlock({ settings, cue, scale: { x }, chosen, dragged }: BlockProps) {
  const [a, b] = [x(cue.start), x(cue.end)];
  const text = called(cue) || "cue";
  const left = Math.max(a, label); // its name shows where it begins before
  const room = Math.floor((b - left - 10) / 6.2);
  const top = ruler + shots + 2;
  const done = settings.statuses.indexOf(cue.status) / Math.max(1, settings.statuses.length - 1);
  return (
    <g data-cue={cue.id} data-thing={`cue ${cue.id}`} style={{ cursor: "grab" }}>
      <title>{say.to(text, timecode(settings.frame, cue.start), timecode(settings.frame, cue.end), cue.status)}</title>
      <rect
        x={a}
        y={top}
        width={Math.max(2, b - a)}
        height={bar - 4}
        rx={2}
        fill={chosen ? "var(--chosen)" : "var(--paper)"}
        stroke={chosen ? "var(--accent)" : "var(--soft)"}
        strokeWidth={chosen || dragged ? 1.6 : 1}
      />
      <rect
        x={a + 1}
        y={top + bar - 8}
        width={Math.max(0, (b - a - 2) * done)}
        height={3}
        fill="var(--accent)"
        opacity={0.7}
      />
      {room > 2 && (
        <text x={left + 5} y={top + 14} fontSize={12} fill="var(--ink)" pointerEvents="none">
          {text.length > room ? `${text.slice(0, room - 1)}…` : text}
        </text>
      )}
      <rect x={a - 1} y={top} width={near} height={bar - 4} fill="transparent" style={{ cursor: "ew-resize" }} />
      <rect x={b - near + 1} y={top} width={near} height={bar - 4} fill="transparent" style={{ cursor: "ew-resize" }} />
      {(cue.hits ?? []).map((h, n) => (
        <path
          key={n}
          d={`M${x(h.frame)} ${top + 1}l-4 -7h8Z`}
          fill="var(--accent)"
          data-hit={n}
          data-at={h.frame}
          style={{ cursor: "ew-resize" }}
        >
          <title>{h.name ?? say.hit}</title>
        </path>
      ))}
      {(cue.markers ?? []).map(
        (m, n) => m.frame !== undefined && <Flag key={n} n={n} name={m.name} at={m.frame} x={x} />,
      )}
    </g>
  );
});

/** Flag is a marker on a strip; it is moved like a hit. */
function Flag({ n, name, at, x }: { n: number; name: string; at: number; x: (f: number) => number }) {
  const top = ruler + shots + 2;
  return (
    <g data-marker={n} data-at={at} style={{ cursor: "ew-resize" }}>
      <title>{name}</title>
      <rect x={x(at) - 1} y={top} width={9} height={bar - 4} fill="transparent" />
      <path d={`M${x(at)} ${top + bar - 4}v-${bar - 4}h7l-2.5 3.5 2.5 3.5h-6v${bar - 11}Z`} fill="var(--ink)" />
    </g>
  );
}

/** Turns are where the tempo and the metre of a cue change; what they become is written where there is
 * room. */
function Turns({ cue, bars, x }: { cue: Cue; bars: readonly Schemas["CueBar"][]; x: (f: number) => number }) {
  const tempi = cue.tempi.map((t, n) => ({
    of: { "data-tempo": n },
    text: `${cue.tempi[n - 1]?.ramp ? "→ " : ""}${Math.round(t.milliBpm / 100) / 10}`,
    at: frameOfTick(bars, t.tick),
  }));
  const metres = cue.metres.map((m, n) => ({
    of: { "data-metre": n },
    text: `${m.beats}/${m.unit}`,
    at: bars.find((b) => b.bar === m.bar)?.beats[0] ?? null,
  }));
  return [tempi, metres].map((list, row) =>
    list.map(({ of, text, at }, n) => {
      if (n === 0 || at === null) return null;
      const room = x(list[n + 1]?.at ?? cue.end) - x(at);
      return (
        <Turn key={text + at} of={of} text={room > text.length * 5.5 + 6 ? text : ""} at={at} y={9 + 9 * row} x={x} />
      );
    }),
  );
}

interface TurnProps {
  of: Record<string, number>;
  text: string;
  at: number;
  y: number; // from the top of the cue
  x: (f: number) => number;
}

/** Turn is where the tempo or the metre of a cue changes; it is moved from bar to bar. */
function Turn({ of, text, at, y, x }: TurnProps) {
  const top = ruler + shots + 2;
  return (
    <g {...of} data-at={at} style={{ cursor: "ew-resize" }}>
      <rect x={x(at) - 2} y={top + y - 9} width={text.length * 5.5 + 8} height={10} fill="transparent" />
      <path d={`M${x(at)} ${top + y - 9}v10`} stroke="var(--ink)" />
      <text x={x(at) + 3} y={top + y} fontSize={9.5} fill="var(--ink)">
        {text}
      </text>
    </g>
  );
}

/** BarLines draws the bars of the chosen cues, where there is room for them. */
function BarLines({ film, cues, x }: { film: Film; cues: Cue[]; x: (f: number) => number }) {
  const all = useQueries({ queries: cues.map((c) => filmed.bars(film.id, film.revision, c.id)) });
  const top = ruler + shots + 2;
  return (
    <>
      {cues.map((c, k) => (
        <g key={c.id} data-cue={c.id}>
          {(c.markers ?? []).map((m, n) => {
            const at = m.frame === undefined && all[k]?.data ? frameOfTick(all[k].data, m.tick ?? 0) : null;
            return at !== null && <Flag key={n} n={n} name={m.name} at={at} x={x} />;
          })}
          <Turns cue={c} bars={all[k]?.data ?? noBars} x={x} />
        </g>
      ))}
      {all.map((q, k) => {
        const bars = q.data ?? [];
        const wide = bars.length > 1 ? x(bars[1]!.beats[0]!) - x(bars[0]!.beats[0]!) : 0;
        const step = [1, 2, 4, 8, 16].find((n) => n * wide >= 9);
        if (!step) return null;
        return bars
          .filter((b) => b.bar % step === 1 || step === 1)
          .map((b) => (
            <g key={`${cues[k]!.id}${b.bar}`} pointerEvents="none">
              <path d={`M${x(b.beats[0]!)} ${top + bar - 4}v4`} stroke="var(--ink)" />
              {step * wide >= 26 && (
                <text x={x(b.beats[0]!) + 2} y={height} fontSize={9} fill="var(--soft)">
                  {b.bar}
                </text>
              )}
            </g>
          ));
      })}
    </>
  );
}
