import type { Id, Schemas } from "../../model/api";

export type Picture = Schemas["Routing"];
export type Place = Schemas["Place"];
export type Ribbon = Schemas["Ribbon"];

/** What a name beside the last bar takes, turned on its side, px. */
const lastName = 26;

/** xOf spreads the columns: labels need room left of the first and right of
 * the others. */
export function xOf(width: number, columns: number): number[] {
  const shares = width > 640 ? [0.15, 0.33, 0.6, 0.89, 1] : [0.26, 0.43, 0.6, 0.91, 1];
  return shares.slice(0, columns).map((s) => s * (width - lastName));
}

/** outline is the path of a ribbon between two x positions. */
export function outline(x1: number, x2: number, r: Pick<Ribbon, "y1" | "y2" | "h">): string {
  const m = (x1 + x2) / 2;
  return `M${x1} ${r.y1}C${m} ${r.y1} ${m} ${r.y2} ${x2} ${r.y2}V${r.y2 + r.h}C${m} ${r.y2 + r.h} ${m} ${r.y1 + r.h} ${x1} ${r.y1 + r.h}Z`;
}

/** ribbonAt finds the ribbon that covers a point, the last drawn first; -1 for
 * none. The curves of all ribbons between two columns go along alike, so how far
 * one is along them is found once. */
export function ribbonAt(p: Picture, x: readonly number[], px: number, py: number): number {
  const far = new Map<number, number>(); // by pair of columns: the share of the second end
  for (let n = p.ribbons.length - 1; n >= 0; n--) {
    const r = p.ribbons[n]!;
    if (py < Math.min(r.y1, r.y2) || py > Math.max(r.y1, r.y2) + r.h) continue;
    const a = p.places[r.from]!.column;
    const b = p.places[r.to]!.column;
    const key = a * 16 + b;
    let share = far.get(key);
    if (share === undefined) {
      share = alongCurve((px - x[a]! - 4) / (x[b]! - x[a]! - 4));
      far.set(key, share);
    }
    if (share < 0) continue;
    const top = r.y1 * (1 - share) + r.y2 * share;
    if (py >= top && py <= top + r.h) return n;
  }
  return -1;
}

/** alongCurve turns a share of the width, 0 to 1, into the share of the height
 * that a ribbon has come by then: a cubic whose middle points lie half way. Its
 * width is s³ + ¾s + ½ at s = t − ½, solved for s by Cardano's formula. It is -1
 * outside. */
function alongCurve(u: number): number {
  if (!(u >= 0 && u <= 1)) return -1;
  const v = (u - 0.5) / 2;
  const root = Math.sqrt(v * v + 1 / 64);
  const t = Math.cbrt(v + root) + Math.cbrt(v - root) + 0.5;
  return t * t * (3 - 2 * t);
}

interface Ways {
  on: number[][]; // for each place, those it feeds
  back: number[][]; // those that feed it
}

const known = new WeakMap<Picture, Ways>();

function waysOf(p: Picture): Ways {
  let ways = known.get(p);
  if (!ways) {
    ways = { on: p.places.map(() => []), back: p.places.map(() => []) };
    for (const r of p.ribbons) {
      ways.on[r.from]!.push(r.to);
      ways.back[r.to]!.push(r.from);
    }
    known.set(p, ways);
  }
  return ways;
}

function walk(next: number[][], start: number, out: Set<number>) {
  const queue = [start];
  const seen = new Set(queue);
  while (queue.length) {
    const at = queue.pop()!;
    out.add(at);
    for (const b of next[at]!) {
      if (seen.has(b)) continue;
      seen.add(b);
      queue.push(b);
    }
  }
}

/** through follows one place both ways: every place its sound comes from or
 * goes to, as positions in the picture. */
export const through = (p: Picture, place: number): Set<number> => along(p, { from: place, to: place });

/** along follows one ribbon: back from where it leaves, on from where it
 * arrives. */
export function along(p: Picture, r: Pick<Ribbon, "from" | "to">): Set<number> {
  const { on, back } = waysOf(p);
  const out = new Set<number>();
  walk(back, r.from, out);
  walk(on, r.to, out);
  return out;
}

/** placeOf finds the place of a section, instrument or bus; -1 for none. */
export const placeOf = (p: Picture, id: Id | null): number => (id ? p.places.findIndex((x) => x.id === id) : -1);

/** isBus tells whether a place is a single bus. */
export const isBus = (p: Place): boolean => p.kind !== "section" && p.kind !== "instrument" && !p.holds;
