import { useQuery } from "@tanstack/react-query";
import { memo, useEffect, useRef } from "react";
import type { Schemas } from "../../model/api";
import { seek, standing } from "../../model/printplayer";
import { type Mark, waveBytes, waveFrames, waveOf } from "../../model/prints";
import { useInks } from "../../parts/useInks";
import { words } from "./words";

const say = words.wave;

const high = 34;

interface WaveProps {
  print: string;
  number: number;
  sha256: string;
  rate: number;
  width: number;
  from: number; // s
  to: number;
  marks: readonly Mark[];
  quiet: boolean;
}

/** Wave draws a file: its sound, its marks where they are, and the place that is heard. */
export const Wave = memo(function Wave({ print, number, sha256, rate, width, from, to, marks, quiet }: WaveProps) {
  const { data } = useQuery(waveOf(print, number, sha256));
  const canvas = useRef<HTMLCanvasElement>(null);
  const inks = useInks();
  useEffect(() => {
    const c = canvas.current;
    if (!c) return;
    const dots = window.devicePixelRatio || 1;
    c.width = width * dots;
    c.height = high * dots;
    const g = c.getContext("2d");
    if (!g) return;
    g.scale(dots, dots);
    const x = (s: number) => ((s - from) / (to - from)) * width;
    g.fillStyle = inks.accent ?? "red";
    for (const m of marks) {
      if (m.note || m.to < from || m.from > to) continue;
      const left = x(m.from);
      const wide = Math.max(3, x(m.to) - left);
      g.globalAlpha = 0.09;
      g.fillRect(left, 0, wide, high);
      g.globalAlpha = 0.9;
      g.fillRect(left, high - 3, wide, 3);
    }
    g.globalAlpha = quiet ? 0.55 : 1;
    g.fillStyle = inks.ink ?? "black";
    g.fillRect(0, high / 2, width, 0.5);
    if (data) draw(g, data, rate, width, from, to);
    g.globalAlpha = 1;
  }, [data, width, from, to, marks, quiet, inks, rate]);
  return (
    <div className="relative shrink-0" style={{ width, height: high }}>
      <canvas
        ref={canvas}
        style={{ width, height: high }}
        data-part="wave"
        data-drawn={data ? "" : undefined}
        onPointerDown={(e) => {
          const left = e.currentTarget.getBoundingClientRect().left;
          seek(Math.max(0, from + ((e.clientX - left) / width) * (to - from)));
        }}
      />
      <Playhead width={width} from={from} to={to} />
    </div>
  );
});

/** draw fills each column from its lowest to its highest sample, of both sides. */
function draw(g: CanvasRenderingContext2D, data: Int8Array, rate: number, width: number, from: number, to: number) {
  const steps = data.length / waveBytes;
  const per = ((to - from) * rate) / waveFrames / width; // steps of one column
  const first = (from * rate) / waveFrames;
  const middle = high / 2;
  for (let column = 0; column < width; column++) {
    const a = Math.floor(first + column * per);
    const b = Math.min(steps, Math.max(a + 1, Math.floor(first + (column + 1) * per)));
    let low = 0;
    let top = 0;
    for (let n = a; n < b; n++) {
      for (let side = 0; side < waveBytes; side += 2) {
        low = Math.min(low, data[n * waveBytes + side] ?? 0);
        top = Math.max(top, data[n * waveBytes + side + 1] ?? 0);
      }
    }
    if (low === 0 && top === 0) continue;
    const y = middle - (top / 127) * middle;
    g.fillRect(column, y, 1, Math.max(1, ((top - low) / 127) * middle));
  }
}

function Playhead({ width, from, to }: { width: number; from: number; to: number }) {
  const line = useRef<HTMLDivElement>(null);
  useEffect(() => {
    let frame = 0;
    const move = () => {
      const x = ((standing() - from) / (to - from)) * width;
      if (line.current) {
        line.current.style.transform = `translateX(${x}px)`;
        line.current.style.visibility = x >= 0 && x <= width ? "visible" : "hidden";
      }
      frame = requestAnimationFrame(move);
    };
    move();
    return () => cancelAnimationFrame(frame);
  }, [width, from, to]);
  return <div ref={line} className="pointer-events-none absolute top-0 left-0 h-full w-px bg-accent" />;
}

interface ResidualProps {
  sum: Schemas["AuditNull"];
  width: number;
  from: number;
  to: number;
}

/** How deep what is left is drawn, dBFS. */
const deepest = -140;

/** Residual draws what the stems leave of the mix, second by second, and how much may be left. */
export function Residual({ sum, width, from, to }: ResidualProps) {
  const tall = 26;
  const y = (db: number) => tall * Math.min(1, Math.max(0, db / deepest));
  const x = (s: number) => ((s - from) / (to - from)) * width;
  const bars = (sum.seconds ?? []).map((db, s) => ({ s, db })).filter(({ s }) => s + 1 > from && s < to);
  return (
    <svg width={width} height={tall} role="img" aria-label={say.whatIsLeftOf(sum.name)}>
      {bars.map(({ s, db }) => (
        <rect
          key={s}
          x={x(s)}
          y={y(db)}
          width={Math.max(1, x(s + 1) - x(s) - 0.5)}
          height={tall - y(db)}
          className={db > sum.allowedDb ? "fill-accent opacity-60" : "fill-ink opacity-20"}
        />
      ))}
      <line
        x1={0}
        x2={width}
        y1={y(sum.allowedDb)}
        y2={y(sum.allowedDb)}
        className="stroke-soft"
        strokeDasharray="2 3"
      />
    </svg>
  );
}
