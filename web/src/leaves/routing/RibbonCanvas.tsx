import { type MouseEvent, useEffect, useMemo, useRef } from "react";
import { useInks } from "../../parts/useInks";
import { outline, type Picture, type Ribbon, ribbonAt } from "./picture";

interface Props {
  picture: Picture;
  x: number[];
  width: number;
  from: number; // what shows, with some room around it
  to: number;
  lit: ReadonlySet<number> | null; // places followed; null follows none
  touched: ReadonlySet<number>; // places of the selection
  hover: (r: Ribbon | null, at: { x: number; y: number }) => void;
  choose: (r: Ribbon) => void;
}

/** Dashes along the outline of a send are dear to draw; with more ribbons than
 * this, sends are told by their faintness alone. */
const mostDashed = 300;

/** A picture of up to this size is drawn once; of a larger one, what lies
 * around the window. */
const mostPixels = 16e6;

/** RibbonCanvas draws the ribbons: all of them once, on a sheet that scrolls
 * with the page and fades as a whole, and what is followed on another above
 * it. Panning draws nothing; following draws only what is followed. */
export function RibbonCanvas({ picture, x, width, from, to, lit, touched, hover, choose }: Props) {
  const ground = useRef<HTMLCanvasElement>(null);
  const above = useRef<HTMLCanvasElement>(null);
  const inks = useInks();
  const scale = Math.min(2, devicePixelRatio || 1);
  const paths = useMemo(
    () =>
      picture.ribbons.map((r) => {
        const a = picture.places[r.from]!;
        const b = picture.places[r.to]!;
        return new Path2D(outline(x[a.column]! + 4, x[b.column]!, r));
      }),
    [picture, x],
  );
  const drawn = useMemo(() => ({ from: Number.NaN, to: Number.NaN }), [paths, inks]);
  const paint = (ctx: CanvasRenderingContext2D, n: number, strength: number) => {
    const r = picture.ribbons[n]!;
    ctx.globalAlpha = strength * (r.send ? 0.4 : 1);
    ctx.fillStyle = inks[picture.places[r.from]!.tint] ?? inks.grey!;
    ctx.fill(paths[n]!);
    if (r.send && picture.ribbons.length <= mostDashed) {
      ctx.globalAlpha = strength * 0.7;
      ctx.strokeStyle = inks.soft!;
      ctx.setLineDash([2, 3]);
      ctx.lineWidth = 0.8;
      ctx.stroke(paths[n]!);
    }
  };
  /** draw clears a canvas, lays it over a part of the picture, and paints the
   * ribbons of that part that are asked for. */
  const draw = (c: HTMLCanvasElement, at: { from: number; to: number }, asked: (r: Ribbon) => number) => {
    const high = Math.max(1, at.to - at.from);
    const ctx = c.getContext("2d")!;
    if (c.width !== Math.round(width * scale) || c.height !== Math.round(high * scale)) {
      c.width = width * scale;
      c.height = high * scale;
    } else {
      ctx.setTransform(1, 0, 0, 1, 0, 0);
      ctx.clearRect(0, 0, c.width, c.height);
    }
    c.style.top = `${at.from}px`;
    c.style.height = `${high}px`;
    ctx.setTransform(scale, 0, 0, scale, 0, -at.from * scale);
    for (const [n, r] of picture.ribbons.entries()) {
      if (Math.min(r.y1, r.y2) > at.to || Math.max(r.y1, r.y2) + r.h < at.from) continue;
      const strength = asked(r);
      if (strength > 0) paint(ctx, n, strength);
    }
  };

  useEffect(() => {
    if (width <= 0 || (from >= drawn.from && to <= drawn.to)) return;
    const whole = picture.height * width * scale * scale <= mostPixels;
    drawn.from = whole ? 0 : Math.max(0, 2 * from - to);
    drawn.to = whole ? picture.height : Math.min(picture.height, 2 * to - from);
    draw(ground.current!, drawn, () => 0.45);
  });
  useEffect(() => {
    if (width <= 0) return;
    draw(above.current!, { from, to }, (r) => {
      if (lit) return lit.has(r.from) && lit.has(r.to) ? 0.85 : 0;
      return touched.has(r.from) ? 0.5 : 0;
    });
  }, [paths, inks, width, from, to, lit, touched]);

  const find = (e: MouseEvent<HTMLElement>): Ribbon | null => {
    const box = e.currentTarget.getBoundingClientRect();
    return picture.ribbons[ribbonAt(picture, x, e.clientX - box.left, e.clientY - box.top)] ?? null;
  };
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the places are the buttons; ribbons only lead there
    // biome-ignore lint/a11y/noStaticElementInteractions: likewise
    <div
      className="absolute inset-0"
      data-part="canvas"
      data-ribbons={picture.ribbons.length}
      onPointerMove={(e) => hover(find(e), { x: e.clientX, y: e.clientY })}
      onPointerLeave={() => hover(null, { x: 0, y: 0 })}
      onClick={(e) => {
        const r = find(e);
        if (r) choose(r);
      }}
    >
      <canvas ref={ground} className="absolute left-0" style={{ width, opacity: lit ? 0.18 : 1 }} />
      <canvas ref={above} className="absolute left-0" style={{ width }} />
    </div>
  );
}
