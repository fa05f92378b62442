import { useRef } from "react";
import type { Id, Schemas } from "./api";
import { useApp } from "./store";

/** readyOf lists who is ready; the same set as before while nothing changed. */
export function readyOf(
  states: ReadonlyMap<Id, Pick<Schemas["State"], "id" | "state">>,
  before: ReadonlySet<Id>,
): ReadonlySet<Id> {
  const now = new Set<Id>();
  let same = true;
  for (const s of states.values()) {
    if (s.state !== "ready") continue;
    now.add(s.id);
    if (!before.has(s.id)) same = false;
  }
  return same && now.size === before.size ? before : now;
}

/** useReadyOnly is who is ready while only they shall show; null while everybody
 * shows. */
export function useReadyOnly(): ReadonlySet<Id> | null {
  const on = useApp((s) => s.readyOnly);
  const states = useApp((s) => (s.readyOnly ? s.states : null));
  const before = useRef<ReadonlySet<Id>>(new Set());
  if (!on || !states) return null;
  before.current = readyOf(states, before.current);
  return before.current;
}
