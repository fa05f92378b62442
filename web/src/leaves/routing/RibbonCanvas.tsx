import { type MouseEvent, useEffect, useMemo, useRef } from "react";
import { useInks } from "../../parts/useInks";
import { outline, type Picture, type Ribbon, ribbonAt } from "./picture";

interface Props {
  picture: Picture;
  x: number[];
  width: number;
  top: number; // how far it is scrolled
  height: number; // of what shows
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

/** RibbonCanvas draws the ribbons that show. They are drawn once on a sheet
 * that reaches beyond the window; moving and following only lay that sheet
 * down, faded or not, and what is followed on top. */
export function RibbonCanvas({ picture, x, width, top, height, lit, touched, hover, choose }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
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
  const sheet = useMemo(
    () => ({ from: Number.NaN, to: Number.NaN, at: document.createElement("canvas") }),
    [paths, inks],
  );
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
  const within = (r: Ribbon, from: number, to: number) =>
    Math.min(r.y1, r.y2) < to && Math.max(r.y1, r.y2) + r.h > from;

  useEffect(() => {
    const c = canvas.current;
    const ctx = c?.getContext("2d");
    if (!c || !ctx || height <= 0 || width <= 0) return;
    if (c.width !== width * scale || c.height !== height * scale) {
      c.width = width * scale;
      c.height = height * scale;
    }
    const end = Math.min(picture.height, top + height);
    if (!(top >= sheet.from && end <= sheet.to)) {
      const whole = picture.height * width * scale * scale <= mostPixels;
      sheet.from = whole ? 0 : Math.max(0, top - 2 * height);
      sheet.to = whole ? Math.max(picture.height, height) : Math.min(picture.height, top + 3 * height);
      sheet.at.width = width * scale;
      sheet.at.height = Math.max(1, (sheet.to - sheet.from) * scale);
      const draw = sheet.at.getContext("2d")!;
      draw.setTransform(scale, 0, 0, scale, 0, -sheet.from * scale);
      for (const [n, r] of picture.ribbons.entries()) if (within(r, sheet.from, sheet.to)) paint(draw, n, 0.45);
    }
    ctx.setTransform(1, 0, 0, 1, 0, 0);
    ctx.clearRect(0, 0, c.width, c.height);
    ctx.globalAlpha = lit ? 0.18 : 1;
    ctx.drawImage(sheet.at, 0, (sheet.from - top) * scale);
    ctx.setTransform(scale, 0, 0, scale, 0, -top * scale);
    picture.ribbons.forEach((r, n) => {
      const followed = lit ? lit.has(r.from) && lit.has(r.to) : touched.has(r.from);
      if (followed && within(r, top, end)) paint(ctx, n, lit ? 0.85 : 0.5);
    });
  });

  const find = (e: MouseEvent<HTMLCanvasElement>): Ribbon | null => {
    const box = canvas.current!.getBoundingClientRect();
    return picture.ribbons[ribbonAt(picture, x, e.clientX - box.left, e.clientY - box.top + top)] ?? null;
  };
  return (
    <canvas
      ref={canvas}
      className="pointer-events-auto block"
      style={{ width, height }}
      data-part="canvas"
      data-ribbons={picture.ribbons.length}
      onPointerMove={(e) => hover(find(e), { x: e.clientX, y: e.clientY })}
      onPointerLeave={() => hover(null, { x: 0, y: 0 })}
      onClick={(e) => {
        const r = find(e);
        if (r) choose(r);
      }}
    />
  );
}
