import type { CutEvent } from "../../model/film";

/** shotTints are the tints of shots, in turn. */
export const shotTints = ["stone", "petrol", "moss", "clay", "heather", "rose"];

/** isBlack tells whether an event shows nothing (CMX 3600 names its source BL). */
export const isBlack = (e: CutEvent) => !e.clip && /^(bl|black)$/i.test(e.source ?? "");

/** shotAt is the place in a list of the last event that has begun by a frame; -1 for none. */
export function shotAt(events: readonly CutEvent[], at: number): number {
  let low = 0;
  let high = events.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (events[middle]!.start <= at) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}
