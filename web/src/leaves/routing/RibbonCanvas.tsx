import { type MouseEvent, useEffect, useMemo, useRef } from "react";
import { useInks } from "../../parts/useInks";
import { gather, type Pen } from "./gathered";
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

/** Dashes along the outline of a send take long to draw; with more ribbons than
 * this, sends are only fainter. */
const mostDashed = 300;

/** A picture of up to this size is drawn once; of a larger one, what lies
 * around the window. */
const mostPixels = 16e6;

/** As many ribbons into one place are drawn once, and then laid down as one. */
const fewestGathered = 60;

/** How strongly what is followed shows, and what is only selected. */
const strong = 0.85;
const touchedOnly = 0.5;

/** So long the picture rests before anything is drawn ahead, milliseconds. */
const rest = 150;

/** So long is drawn ahead at a time, milliseconds: a frame. */
const slice = 16;

/** Part is from and to where a canvas shows the picture. */
interface Part {
  from: number;
  to: number;
}

/** spanOf is the part of a window that the ribbons asked for reach; null where
 * there are none. A bitmap costs by its size. */
function spanOf(ribbons: Ribbon[], asked: (r: Ribbon) => number, window: Part): Part | null {
  let low = window.to;
  let high = window.from;
  for (const r of ribbons) {
    if (asked(r) === 0) continue;
    low = Math.min(low, r.y1, r.y2);
    high = Math.max(high, r.y1 + r.h, r.y2 + r.h);
  }
  const at = { from: Math.max(window.from, Math.floor(low) - 1), to: Math.min(window.to, Math.ceil(high) + 1) };
  return at.to > at.from ? at : null;
}

const shows = (r: Ribbon, at: Part) => Math.min(r.y1, r.y2) <= at.to && Math.max(r.y1, r.y2) + r.h >= at.from;

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
  const entering = useMemo(() => {
    const out = new Map<number, number[]>();
    for (const [n, r] of picture.ribbons.entries()) {
      const into = out.get(r.to);
      if (into) into.push(n);
      else out.set(r.to, [n]);
    }
    return out;
  }, [picture]);
  const drawn = useMemo(() => ({ from: Number.NaN, to: Number.NaN }), [paths, inks]);
  const paint = (pen: Pen, n: number, strength: number) => {
    const r = picture.ribbons[n]!;
    pen.globalAlpha = strength * (r.send ? 0.4 : 1);
    pen.fillStyle = inks[picture.places[r.from]!.tint] ?? inks.grey!;
    pen.fill(paths[n]!);
    if (r.send && picture.ribbons.length <= mostDashed) {
      pen.globalAlpha = strength * 0.7;
      pen.strokeStyle = inks.soft!;
      pen.setLineDash([2, 3]);
      pen.lineWidth = 0.8;
      pen.stroke(paths[n]!);
    }
  };
  const sheetOf = (at: Part): Pen => {
    const pen = new OffscreenCanvas(width * scale, Math.max(1, at.to - at.from) * scale).getContext("2d")!;
    pen.setTransform(scale, 0, 0, scale, 0, -at.from * scale);
    return pen;
  };
  /** show lays a canvas over a part of the picture. It takes a bitmap: a canvas
   * that is drawn on is copied whole at every frame, drawn on or not. */
  const show = (c: HTMLCanvasElement, at: Part, pen: Pen) => {
    c.style.top = `${at.from}px`;
    c.style.height = `${at.to - at.from}px`;
    c.getContext("bitmaprenderer")!.transferFromImageBitmap(pen.canvas.transferToImageBitmap());
  };
  // the many ribbons into one place, as they show in the window
  const gatherings = useMemo(() => {
    const here = new Map<number, number[]>();
    for (const [place, into] of entering) {
      if (into.length < fewestGathered) continue;
      const shown = into.filter((n) => shows(picture.ribbons[n]!, { from, to }));
      if (shown.length > 0) here.set(place, shown);
    }
    return gather(
      here,
      () => sheetOf({ from, to }),
      (pen, n) => paint(pen, n, strong),
    );
  }, [paths, inks, width, from, to]);

  useEffect(() => {
    if (width <= 0 || (from >= drawn.from && to <= drawn.to)) return;
    const whole = picture.height * width * scale * scale <= mostPixels;
    drawn.from = whole ? 0 : Math.max(0, 2 * from - to);
    drawn.to = whole ? picture.height : Math.min(picture.height, 2 * to - from);
    const pen = sheetOf(drawn);
    for (const [n, r] of picture.ribbons.entries()) if (shows(r, drawn)) paint(pen, n, 0.45);
    show(ground.current!, drawn, pen);
  });
  useEffect(() => {
    if (width <= 0) return;
    const asked = (r: Ribbon) => {
      if (lit) return lit.has(r.from) && lit.has(r.to) ? strong : 0;
      return touched.has(r.from) ? touchedOnly : 0;
    };
    const at = lit || touched.size > 0 ? spanOf(picture.ribbons, asked, { from, to }) : null;
    above.current!.hidden = !at;
    if (!at) return;
    const pen = sheetOf(at);
    for (const [place, into] of entering) {
      if (into.length >= fewestGathered && into.every((n) => asked(picture.ribbons[n]!) === strong)) {
        pen.globalAlpha = 1;
        pen.drawImage(gatherings.sheet(place), 0, from, width, to - from);
        continue;
      }
      for (const n of into) {
        const r = picture.ribbons[n]!;
        const strength = asked(r);
        if (strength > 0 && shows(r, at)) paint(pen, n, strength);
      }
    }
    show(above.current!, at, pen);
  }, [paths, inks, width, from, to, lit, touched]);

  useEffect(() => {
    if (width <= 0) return;
    let idle = 0;
    const ahead = (time: IdleDeadline) => {
      const until = performance.now() + slice;
      if (!gatherings.drawAhead(() => time.timeRemaining() > 4 && performance.now() < until))
        idle = requestIdleCallback(ahead);
    };
    const wait = setTimeout(() => {
      idle = requestIdleCallback(ahead);
    }, rest);
    return () => {
      clearTimeout(wait);
      cancelIdleCallback(idle);
    };
  }, [gatherings]);

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
