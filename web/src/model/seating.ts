import { answer, api, type Id, type Schemas } from "./api";
import { at } from "./changing";
import { attempt, get, tell } from "./store";
import { words } from "./words";

const say = words.seating;

export type SeatingCost = Schemas["SeatingCost"];
export type SeatingPlan = Schemas["SeatingPlan"];
export type SeatingWays = Schemas["SeatingWays"];
export type Weights = Schemas["SeatingWeights"];
export type Wish = Schemas["SeatingWish"];
export type Outcome = Schemas["SeatingOutcome"];
export type WhatIf = Schemas["WhatIfAsk"];
export type Moves = Schemas["SeatingMoves"];

/** What a plan makes small, in the order of what counts most. */
export const figures: [key: keyof Weights, text: string][] = [
  ["unseated", say.rowsWithoutASeat],
  ["moved", say.seatsThatMove],
  ["risers", say.risersInUse],
  ["wishes", say.wishesNotMet],
  ["pairs", say.outputPairsInUse],
  ["uneven", say.unevennessOfTheRisers],
];

/** figureText writes a figure of a plan. */
export const figureText = (key: keyof Weights, c: SeatingCost): string =>
  key === "uneven" ? c.uneven.toFixed(3) : String(c[key]);

export const startPlan = (fresh: boolean) =>
  attempt(() => answer(api.POST("/api/templates/{id}/seating/plan", { ...at(), body: { fresh } })));
export const planState = () => attempt(() => answer(api.GET("/api/templates/{id}/seating/plan", at())));
export const stopPlan = () => attempt(() => answer(api.DELETE("/api/templates/{id}/seating/plan", at())));

export async function takePlan() {
  const done = await attempt(() => answer(api.POST("/api/templates/{id}/seating/plan/take", at())));
  if (done) tell(say.seatedByThePlan);
  return done;
}

export const whatIf = (ask: WhatIf) =>
  attempt(() => answer(api.POST("/api/templates/{id}/seating/whatif", { ...at(), body: ask })));

export const fewestMoves = (ask: Schemas["MovesAsk"]) =>
  attempt(() => answer(api.POST("/api/templates/{id}/seating/moves", { ...at(), body: ask })));

/** seatByHand numbers, releases or moves seats in one action. */
export const seatByHand = (ask: Schemas["HandAsk"]) =>
  attempt(() => answer(api.POST("/api/templates/{id}/seating/hand", { ...at(), body: ask })));

export const whyThere = (instrument: Id) =>
  answer(
    api.GET("/api/templates/{id}/seating/why/{instrument}", { params: { path: { id: get().sheet!.id, instrument } } }),
  );

/** byWeight are the figures that a plan keeps small, what counts most first. */
export const byWeight = (w: Weights): (keyof Weights)[] => figures.map(([key]) => key).sort((a, b) => w[b] - w[a]); // equal ones keep their usual order

/** withOrder is the weights with a figure in another place: they go over to the new order. */
export function withOrder(w: Weights, key: keyof Weights, to: number): Weights {
  const order = byWeight(w);
  const sizes = order.map((k) => w[k]);
  order.splice(order.indexOf(key), 1);
  order.splice(Math.max(0, Math.min(order.length, to)), 0, key);
  const next = { ...w };
  order.forEach((k, n) => {
    next[k] = sizes[n]!;
  });
  return next;
}
