import type { Id, Schemas } from "./api";

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
