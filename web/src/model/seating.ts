import { answer, api, type Id, type Schemas } from "./api";
import { at } from "./changing";
import { attempt, get, tell } from "./store";

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
  ["unseated", "without a seat"],
  ["moved", "moved from their seats"],
  ["risers", "risers in use"],
  ["wishes", "places against a wish"],
  ["pairs", "output pairs in use"],
  ["uneven", "unevenness of the risers"],
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
  if (done) tell("Seated by the plan.");
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
