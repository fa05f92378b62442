import type { Id, Instrument } from "../../model/api";
import { words } from "./words";

const say = words.seats;

/** SeatIndex finds who sits where. */
export type SeatIndex = ReadonlyMap<string, Instrument>;

export const seatKey = (machine: Id, riser: number, port: number, channel: number) =>
  `${machine} ${riser} ${port} ${channel}`;

/** Besides lists, by row, the rows that sit with it. */
export type Besides = ReadonlyMap<Id, readonly Id[]>;

/** besides finds who sits with whom. */
export function besides(instruments: Instrument[]): Besides {
  const out = new Map<Id, Id[]>();
  for (const i of instruments) if (i.with) out.set(i.with, [...(out.get(i.with) ?? []), i.id]);
  return out;
}

export function seatIndex(instruments: Instrument[]): SeatIndex {
  const out = new Map<string, Instrument>();
  for (const i of instruments)
    if (i.seat && !i.with) out.set(seatKey(i.seat.machine, i.seat.riser, i.seat.port, i.seat.channel), i);
  return out;
}

/** taken are the risers of a machine on which somebody sits. */
export function taken(seats: SeatIndex, machine: Id): ReadonlySet<number> {
  const out = new Set<number>();
  for (const i of seats.values()) if (i.seat!.machine === machine) out.add(i.seat!.riser);
  return out;
}

/** unfolded are the risers of a machine that show, and those that are empty: they are folded, but for the
 * first where nobody sits anywhere. */
export function unfolded(
  risers: number,
  taken: ReadonlySet<number>,
  open: boolean,
): { shown: number[]; empty: number[] } {
  const all = Array.from({ length: risers }, (_, n) => n + 1);
  const empty = all.filter((n) => !taken.has(n));
  if (empty.length === risers) empty.shift();
  return { shown: open ? all : all.filter((n) => !empty.includes(n)), empty };
}

/** range names risers: "Risers 3 to 5, and 8, are". */
export function range(risers: readonly number[]): string {
  const runs: [number, number][] = [];
  for (const n of risers) {
    const last = runs.at(-1);
    if (last && last[1] === n - 1) last[1] = n;
    else runs.push([n, n]);
  }
  const said = runs.map(([a, b]) => (a === b ? `${a}` : b === a + 1 ? say.and(a, b) : say.to(a, b)));
  return risers.length === 1 ? say.riserIs(said[0]!) : say.risersAre(said.join(", "));
}
