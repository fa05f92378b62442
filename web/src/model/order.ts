import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, type Id, type Schemas } from "./api";
import { at } from "./changing";
import { attempt, tell } from "./store";

import { words } from "./words";

const say = words.order;

/** The ways to put rows in order, and what they do. */
export const ways = [
  ["score", say.scoreOrder, say.woodwindsBrassPercussionHarp],
  ["stage", say.stageOrder, say.stringsInFrontTheChoir],
  ["low-to-high", say.lowToHigh, say.byTheMiddle],
  ["role", say.byRole, say.gathersTheRowsOfEach],
  ["role-of-all", say.byRoleAllTogether, say.theSameWithAllFamilies],
  ["library", say.byLibrary, say.gathersRowsIntoASection],
  ["instrument", say.byInstrument, say.gathersRowsIntoTheOrchestras],
] as const;

export type By = (typeof ways)[number][0];
export type OrderPlan = Schemas["OrderPlan"];

const ask = (within: Id, by: By, take: boolean) =>
  answer(api.POST("/api/templates/{id}/order", { ...at(), body: { by, take, ...(within ? { within } : {}) } }));

/** ordered tells what putting rows in order would mean. */
export const ordered = (within: Id, by: By, revision: number) =>
  queryOptions({
    queryKey: ["order", at().params.path.id, revision, within, by],
    queryFn: () => ask(within, by, false),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** putInOrder takes it, as one change. */
export async function putInOrder(within: Id, by: By) {
  const done = await attempt(() => ask(within, by, true));
  if (done) tell(say.rowsMoved(done.moved));
  return done;
}
