import type { Id, Schemas } from "../../model/api";

export type Picture = Schemas["Routing"];
export type Place = Schemas["Place"];
export type Ribbon = Schemas["Ribbon"];

/** xOf spreads the columns: labels need room left of the first and right of
 * the others. */
export function xOf(width: number, columns: number): number[] {
  const shares = width > 640 ? [0.15, 0.32, 0.58, 0.86, 0.965] : [0.25, 0.42, 0.58, 0.9, 0.97];
  return shares.slice(0, columns).map((s) => s * width);
}

/** outline is the path of a ribbon between two x positions. */
export function outline(x1: number, x2: number, r: Pick<Ribbon, "y1" | "y2" | "h">): string {
  const m = (x1 + x2) / 2;
  return `M${x1} ${r.y1}C${m} ${r.y1} ${m} ${r.y2} ${x2} ${r.y2}V${r.y2 + r.h}C${m} ${r.y2 + r.h} ${m} ${r.y1 + r.h} ${x1} ${r.y1 + r.h}Z`;
}

/** through follows one place both ways: every place its sound comes from or
 * goes to, as positions in the picture. */
export function through(p: Picture, start: number): Set<number> {
  const out = new Set([start]);
  for (const forward of [true, false]) {
    const next = new Map<number, number[]>();
    for (const r of p.ribbons) {
      const [a, b] = forward ? [r.from, r.to] : [r.to, r.from];
      next.set(a, [...(next.get(a) ?? []), b]);
    }
    const queue = [start];
    const seen = new Set(queue);
    while (queue.length) {
      for (const b of next.get(queue.pop()!) ?? []) {
        if (seen.has(b)) continue;
        seen.add(b);
        out.add(b);
        queue.push(b);
      }
    }
  }
  return out;
}

/** placeOf finds the place of a section, instrument or bus; -1 for none. */
export const placeOf = (p: Picture, id: Id | null): number => (id ? p.places.findIndex((x) => x.id === id) : -1);

/** isBus tells whether a place is a single bus. */
export const isBus = (p: Place): boolean => p.kind !== "section" && p.kind !== "instrument" && !p.holds;
