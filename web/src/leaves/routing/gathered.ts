/** Many ribbons into one place are drawn once, and then laid down as one. They
 * are drawn ahead of being asked for, a few at a time, while nothing else is to
 * be done: drawn all at once they would hold up the frame that asks for them. */

/** A sheet to draw on that no one sees. */
export type Pen = OffscreenCanvasRenderingContext2D;

/** Gatherings are the ribbons into each of some places. */
export interface Gatherings {
  /** sheet has all ribbons into a place; what is not drawn yet is drawn now. */
  sheet: (place: number) => OffscreenCanvas;
  /** drawAhead draws as long as there is time, and tells whether that was all. */
  drawAhead: (hasTime: () => boolean) => boolean;
}

/** So many are drawn before the time is looked at again. */
const atOnce = 16;

export function gather(
  into: ReadonlyMap<number, number[]>,
  fresh: () => Pen,
  paint: (pen: Pen, ribbon: number) => void,
): Gatherings {
  const begun = new Map<number, { pen: Pen; next: number }>();
  const draw = (place: number, most: number) => {
    const ribbons = into.get(place) ?? [];
    let it = begun.get(place);
    if (!it) {
      it = { pen: fresh(), next: 0 };
      begun.set(place, it);
    }
    const end = Math.min(ribbons.length, it.next + most);
    while (it.next < end) paint(it.pen, ribbons[it.next++]!);
    return { canvas: it.pen.canvas, whole: end === ribbons.length };
  };
  return {
    sheet: (place) => draw(place, Number.POSITIVE_INFINITY).canvas,
    drawAhead: (hasTime) => {
      const look = new OffscreenCanvas(1, 1).getContext("2d")!;
      for (const place of into.keys()) {
        for (;;) {
          if (!hasTime()) return false;
          const { canvas, whole } = draw(place, atOnce);
          look.drawImage(canvas, 0, 0, 1, 1); // what is only noted down is drawn when looked at
          if (whole) break;
        }
      }
      return true;
    },
  };
}
