import type { Id, Instrument } from "../../model/api";

/** SeatIndex finds who sits where. */
export type SeatIndex = ReadonlyMap<string, Instrument>;

export const seatKey = (machine: Id, riser: number, port: number, channel: number) =>
  `${machine} ${riser} ${port} ${channel}`;

export function seatIndex(instruments: Instrument[]): SeatIndex {
  const out = new Map<string, Instrument>();
  for (const i of instruments)
    if (i.seat) out.set(seatKey(i.seat.machine, i.seat.riser, i.seat.port, i.seat.channel), i);
  return out;
}
