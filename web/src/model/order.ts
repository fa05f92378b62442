import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, type Id, type Schemas } from "./api";
import { at } from "./changing";
import { attempt, tell } from "./store";
import { plural } from "./template";

/** The ways to put rows in order, and what they do. */
export const ways = [
  ["score", "Score order", "woodwinds, brass, percussion, harp and keyboards, soloists, voices, strings"],
  ["stage", "Stage order", "strings in front, the choir at the back, or as the sections' depth says"],
  ["low-to-high", "Low to high", "by the middle of the range"],
  ["role", "By role", "gathers the rows of each family into low and high, long and short"],
  ["role-of-all", "By role, all together", "the same, with all families mixed"],
  ["library", "By library", "gathers rows into a section for each library"],
  ["instrument", "By instrument", "gathers rows into the orchestra's usual sections"],
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
  if (done) tell(`${plural(done.moved, "row")} moved.`);
  return done;
}
