import { attempt, tell } from "./store";

import { words } from "./words";

const say = words.leaving;

/** sayLeft says what a format leaves out. */
export async function sayLeft(ask: () => Promise<string[]>) {
  const left = await attempt(ask);
  if (left && left.length > 0) tell(say.thingsAreLeftOut(left.length, left.join("; ")));
}
