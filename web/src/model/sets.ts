/** toggled is a set with one thing more, or without it where it was in it. */
export function toggled<T>(from: ReadonlySet<T>, thing: T): ReadonlySet<T> {
  const next = new Set(from);
  if (!next.delete(thing)) next.add(thing);
  return next;
}
