import { attempt, tell } from "./store";
import { plural } from "./template";

/** sayLeft tells what a format does not hold of what is taken out. */
export async function sayLeft(ask: () => Promise<string[]>) {
  const left = await attempt(ask);
  if (left && left.length > 0) tell(`${plural(left.length, "thing is", "things are")} left out: ${left.join("; ")}.`);
}
