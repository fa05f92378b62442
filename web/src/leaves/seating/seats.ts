import type { Id, Instrument } from "../../model/api";

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
