import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../model/api";
import { type Cue, type Film, filmed, frameOfTick, placeAt, type Reel } from "../../model/film";
import { timecode } from "../../model/timecode";
import { words } from "./words";

const say = words.running;

const wide = 320;
const high = 180;
const band = 24; // of bars, at the bottom
const now = 80; // where the playhead stands in it
const ahead = 40; // of it for a second

/** How long before a hit its line begins to cross the picture, s (common practice, no source), and
 * for how long the disc is seen when it comes. */
const crossing = 2;
const disc = 0.25;
const marked = 2.5; // how long a marker's name stays, s

const chalk = "#f4eedd";
const ember = "#e4745f";
const shade = "#14181a";

/** Running draws over the picture what runs with it: timecode, bar and beat; bars, markers and hits
 * that come; a line that crosses the picture towards each hit. */
export function Running({ film, reel, at }: { film: Film; reel: Reel; at: number }) {
  const frame = film.settings.frame;
  const rate = frame.num / frame.den;
  const cue = cueAt(film, reel, at, rate);
  const { data: bars = [] } = useQuery({ ...filmed.bars(film.id, film.revision, cue?.id ?? ""), enabled: !!cue });
  const x = (f: number) => now + ((f - at) / rate) * ahead;
  const place = cue ? placeAt(bars, at) : null;
  const shown = (f: number) => x(f) > -20 && x(f) < wide + 20;
  const markers = cue ? placed(cue, bars) : [];
  const hits = cue?.hits ?? [];
  const passed = markers.findLast((m) => m.frame <= at && at - m.frame < marked * rate);
  const coming = hits.find((h) => at < h.frame && h.frame - at <= crossing * rate);
  const met = hits.find((h) => at >= h.frame && at - h.frame < disc * rate);
  return (
    <svg viewBox={`0 0 ${wide} ${high}`} className="pointer-events-none absolute inset-0 size-full" aria-hidden="true">
      {coming && (
        <path
          d={`M${wide * (1 - (coming.frame - at) / (crossing * rate))} 0V${high - band}`}
          stroke={ember}
          strokeWidth={2.5}
          data-coming={coming.frame}
        />
      )}
      {met && <circle cx={wide / 2} cy={(high - band) / 2} r={22} fill={ember} data-met={met.frame} />}
      <Said x={6} y={15} size={13}>
        {place ? say.barBeat(place.bar, place.beat) : ""}
      </Said>
      <Said x={wide - 6} y={15} size={13} end>
        {timecode(frame, at)}
      </Said>
      {passed && (
        <Said x={6} y={high - band - 7} size={12}>
          {passed.name}
        </Said>
      )}
      <rect y={high - band} width={wide} height={band} fill={shade} opacity={0.72} />
      {bars.map((b) =>
        b.beats.map(
          (f, n) =>
            shown(f) && (
              <path
                key={`${b.bar}-${n}`}
                d={`M${x(f)} ${high - (n === 0 ? band : 7)}V${high}`}
                stroke={chalk}
                strokeWidth={n === 0 ? 1.2 : 0.7}
                opacity={n === 0 ? 0.9 : 0.55}
              />
            ),
        ),
      )}
      {bars.map(
        (b) =>
          shown(b.beats[0]!) && (
            <text key={b.bar} x={x(b.beats[0]!) + 3} y={high - band + 10} fontSize={9} fill={chalk}>
              {b.bar}
            </text>
          ),
      )}
      {markers.map(
        (m) =>
          m.frame > at &&
          shown(m.frame) && (
            <g key={`${m.name}${m.frame}`}>
              <path d={`M${x(m.frame)} ${high - band}v-5h6v5Z`} fill={chalk} />
              <Said x={x(m.frame) + 9} y={high - band - 2} size={9}>
                {m.name}
              </Said>
            </g>
          ),
      )}
      {hits.map(
        (h) =>
          shown(h.frame) && (
            <path
              key={h.frame}
              d={`M${x(h.frame)} ${high - band + 1}l-4 -7h8Z`}
              fill={ember}
              stroke={shade}
              strokeWidth={0.5}
            />
          ),
      )}
      {cue && shown(cue.end) && <path d={`M${x(cue.end)} ${high - band}V${high}`} stroke={ember} strokeWidth={1.5} />}
      <path d={`M${now} ${high - band}V${high}`} stroke={chalk} strokeWidth={1.8} />
    </svg>
  );
}

/** Said is a text that is read on any picture. */
function Said({ x, y, size, end, children }: { x: number; y: number; size: number; end?: boolean; children: string }) {
  if (children === "") return null;
  const long = children.length * size * 0.52 + 8;
  return (
    <>
      <rect
        x={end ? x - long + 4 : x - 4}
        y={y - size}
        width={long}
        height={size + 5}
        rx={2}
        fill={shade}
        opacity={0.62}
      />
      <text
        x={x}
        y={y}
        fontSize={size}
        textAnchor={end ? "end" : "start"}
        fill={chalk}
        style={{ whiteSpace: "pre", fontVariantNumeric: "tabular-nums" }}
      >
        {children}
      </text>
    </>
  );
}

const lookAhead = 10; // how long before a cue its bars come into view, s

/** cueAt is the cue that runs at a frame, or the next of the reel that soon begins. */
function cueAt(film: Film, reel: Reel, at: number, rate: number): Cue | undefined {
  let within: Cue | undefined;
  let next: Cue | undefined;
  for (const c of film.cues) {
    if (c.reel !== reel.id || at >= c.end) continue;
    if (at >= c.start) {
      if (!within || c.start > within.start) within = c;
    } else if (c.start - at < lookAhead * rate && (!next || c.start < next.start)) next = c;
  }
  return within ?? next;
}

/** placed are the markers of a cue in the order of their frames. */
function placed(cue: Cue, bars: readonly Schemas["CueBar"][]): { name: string; frame: number }[] {
  const out: { name: string; frame: number }[] = [];
  for (const m of cue.markers ?? []) {
    const frame = m.frame ?? frameOfTick(bars, m.tick ?? 0);
    if (frame !== null) out.push({ name: m.name, frame });
  }
  return out.sort((a, b) => a.frame - b.frame);
}
