import { type MouseEvent, type PointerEvent, useRef } from "react";
import { isBlack, keyName } from "../model/keys";
import { useSize } from "./useSize";
import { words } from "./words";

const say = words.keyboard;

/** Flag is a key switch as it is drawn. */
export interface Flag {
  key: number;
  text: string;
  wrong?: boolean; // it clashes, or lies among the playable keys
  chosen?: boolean;
}

interface Props {
  low: number;
  high: number;
  zone?: { low: number; high: number } | undefined;
  sounding?: { low: number; high: number } | undefined; // what the instrument itself reaches
  flags: Flag[];
  middleC: number;
  onKey?: (key: number) => void;
  pressed?: ReadonlySet<number>; // keys that are down
  onPress?: (key: number, velocity: number) => void; // the lower on the key, the harder
  onRelease?: (key: number) => void;
}

const keysHeight = 40;
const laneHeight = 12;
const letter = 5.8; // pixels; the usual width of one in a flag
const run = (from: number, to: number) => Array.from({ length: to - from + 1 }, (_, n) => from + n);

/** place is the left edge of a key in white keys; black ones stand between. */
function place(key: number): number {
  return Math.floor(key / 12) * 7 + [0, 0.65, 1, 1.65, 2, 3, 3.65, 4, 4.65, 5, 5.65, 6][key % 12]!;
}

/** lanes puts flags whose texts would meet above one another: each takes the
 * lowest lane that is free where it stands. */
export function lanes(flags: readonly { from: number; to: number }[]): number[] {
  const ends: number[] = []; // where each lane is taken up to
  const order = flags.map((_, n) => n).sort((a, b) => flags[a]!.from - flags[b]!.from);
  const out: number[] = [];
  for (const n of order) {
    const f = flags[n]!;
    let lane = ends.findIndex((end) => end < f.from);
    if (lane < 0) lane = ends.length;
    ends[lane] = f.to;
    out[n] = lane;
  }
  return out;
}

/** Keyboard draws all keys of MIDI: the playable ones bright, those kept for
 * switches bracketed below, each switch as a flag above its key. */
export function Keyboard({ low, high, zone, sounding, flags, middleC, onKey, pressed, onPress, onRelease }: Props) {
  const under = useRef<number | null>(null); // the key under the pointer that is down
  const frame = useRef<HTMLDivElement>(null);
  const width = useSize(frame)?.width ?? 600;
  // whole octaves, as many as there is something to show in
  const all = [low, high, zone?.low, zone?.high, sounding?.low, sounding?.high, ...flags.map((f) => f.key)].filter(
    (k): k is number => k !== undefined,
  );
  const first = Math.floor(Math.min(...all) / 12) * 12;
  const last = Math.min(127, Math.floor(Math.max(...all) / 12) * 12 + 11);
  const keys = run(first, last);
  const w = width / (Math.ceil(place(last) + 0.4) - place(first));
  const x = (key: number) => (place(key) - place(first)) * w;
  const right = (key: number) => x(key) + (isBlack(key) ? 0.7 : 1) * w;
  const hit = (e: MouseEvent<SVGSVGElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    const [px, py] = [e.clientX - box.left, e.clientY - box.top];
    const onBlack =
      py < top + keysHeight * 0.62 ? keys.find((k) => isBlack(k) && px >= x(k) && px < right(k)) : undefined;
    const key = onBlack ?? keys.find((k) => !isBlack(k) && px >= x(k) && px < right(k));
    const deep = (py - top) / (keysHeight * (onBlack === undefined ? 1 : 0.62));
    return { key, velocity: Math.round(30 + 97 * Math.min(1, Math.max(0, deep))) };
  };
  const click = (e: MouseEvent<SVGSVGElement>) => {
    const { key } = hit(e);
    if (key !== undefined) onKey?.(key);
  };
  const press = (e: PointerEvent<SVGSVGElement>) => {
    const { key, velocity } = hit(e);
    if (key === under.current) return;
    if (under.current !== null) onRelease?.(under.current);
    under.current = key ?? null;
    if (key !== undefined) onPress?.(key, velocity);
  };
  const letGo = () => {
    if (under.current !== null) onRelease?.(under.current);
    under.current = null;
  };
  const playing = onPress && {
    onPointerDown: (e: PointerEvent<SVGSVGElement>) => {
      e.currentTarget.setPointerCapture(e.pointerId);
      press(e);
    },
    onPointerMove: (e: PointerEvent<SVGSVGElement>) => {
      if (under.current !== null) press(e);
    },
    onPointerUp: letGo,
    onPointerCancel: letGo,
  };
  const spans = flags.map((f) => {
    const at = x(f.key) + w * 0.4;
    const long = (f.text.length + (f.wrong ? 2 : 0)) * letter + 4;
    const left = at + long > width;
    return { at, left, from: left ? at - long : at, to: left ? at : at + long };
  });
  const lane = lanes(spans);
  const top = Math.max(1, ...lane.map((n) => n + 1)) * laneHeight + 8;
  const height = top + keysHeight + 18;
  const fill = (key: number) =>
    pressed?.has(key)
      ? "var(--accent)"
      : key >= low && key <= high
        ? isBlack(key)
          ? "var(--key-black)"
          : "var(--key-white)"
        : isBlack(key)
          ? "var(--key-black-off)"
          : "var(--key-white-off)";
  const name = (k: number) => keyName(k, middleC);
  const said = say.playsToSwitches(
    name(low),
    name(high),
    flags.map((f) => `${name(f.key)} ${f.text}`).join(", ") || "none",
  );
  return (
    <div ref={frame} className="min-w-0">
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: the table below sets the same by keyboard */}
      <svg
        role="img"
        aria-label={said}
        width={width}
        height={height}
        onClick={click}
        {...playing}
        className={`block select-none ${onPress ? "touch-none" : ""}`}
      >
        <title>{said}</title>
        {keys
          .filter((k) => !isBlack(k))
          .map((k) => (
            <rect
              key={k}
              data-key={k}
              x={x(k)}
              y={top}
              width={w - 0.6}
              height={keysHeight}
              fill={fill(k)}
              stroke="var(--soft)"
              strokeWidth={0.4}
            />
          ))}
        {keys.filter(isBlack).map((k) => (
          <rect
            key={k}
            x={x(k)}
            y={top}
            width={w * 0.7}
            height={keysHeight * 0.62}
            fill={fill(k)}
            stroke="var(--soft)"
            strokeWidth={0.4}
          />
        ))}
        {[low, high].map((k, n) => (
          <text
            key={n ? "high" : "low"}
            x={n ? right(k) : x(k)}
            y={top + keysHeight + 13}
            textAnchor={n ? "end" : "start"}
            fontSize={11}
            fill="var(--ink)"
          >
            {name(k)}
          </text>
        ))}
        {zone && (
          <path
            d={`M${x(zone.low)} ${top + keysHeight + 2}v4H${right(zone.high)}v-4`}
            fill="none"
            stroke="var(--accent)"
            strokeWidth={1.2}
          />
        )}
        {sounding && (
          <path d={`M${x(sounding.low)} ${top - 3}H${right(sounding.high)}`} stroke="var(--soft)" strokeWidth={2}>
            <title>{say.theInstrumentSoundsTo(name(sounding.low), name(sounding.high))}</title>
          </path>
        )}
        {flags.map((f, n) => {
          const { at, left } = spans[n]!;
          const y = top - 8 - lane[n]! * laneHeight;
          return (
            <g key={`${f.key} ${f.text}`} fontWeight={f.chosen || f.wrong ? 700 : 400}>
              <circle
                cx={isBlack(f.key) ? x(f.key) + w * 0.35 : x(f.key) + w * 0.5}
                cy={isBlack(f.key) ? top + keysHeight * 0.45 : top + keysHeight * 0.82}
                r={Math.min(3.2, w * 0.28)}
                fill={f.chosen ? "var(--accent)" : "var(--paper)"}
                stroke={f.chosen || f.wrong ? "var(--accent)" : "var(--ink)"}
              />
              <path
                d={`M${at} ${top}V${y - 8}`}
                stroke={f.wrong ? "var(--accent)" : "var(--soft)"}
                strokeWidth={f.wrong ? 1.5 : 0.8}
              />
              <text
                x={left ? at - 3 : at + 3}
                y={y}
                textAnchor={left ? "end" : "start"}
                fontSize={11}
                fill={f.wrong ? "var(--accent)" : "var(--ink)"}
              >
                {f.wrong ? `! ${f.text}` : f.text}
              </text>
            </g>
          );
        })}
      </svg>
    </div>
  );
}
