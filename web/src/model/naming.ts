import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, type Id, type Schemas } from "./api";
import { at } from "./changing";
import { attempt, tell } from "./store";

import { words } from "./words";

const say = words.naming;

export interface NamesAsk {
  pattern: string;
  shorten: boolean;
  shortPattern: string;
  limit: number;
  byHand: boolean;
}

const askNames = (ids: Id[], ask: NamesAsk, take: boolean) =>
  answer(api.POST("/api/templates/{id}/names", { ...at(), body: { ids, ...ask, take } }));

/** named tells what rows would be called. */
export const named = (ids: Id[], ask: NamesAsk, revision: number) =>
  queryOptions({
    queryKey: ["names", at().params.path.id, revision, ids, ask],
    queryFn: () => askNames(ids, ask, false),
    placeholderData: keepPreviousData,
    retry: false,
  });

export async function nameRows(ids: Id[], ask: NamesAsk) {
  const done = await attempt(() => askNames(ids, ask, true));
  if (done) tell(say.named);
  return done;
}

export type Search = Omit<Parameters<typeof sendSearch>[0], "take">;

type SearchBody = {
  field: Schemas["SearchField"];
  find: string;
  with: string;
  expression: boolean;
  case: boolean;
  ids?: Id[];
  take: boolean;
};

const sendSearch = (body: SearchBody) => answer(api.POST("/api/templates/{id}/replace", { ...at(), body }));

/** searched tells what finding and replacing would do. */
export const searched = (search: Search, revision: number) =>
  queryOptions({
    queryKey: ["replace", at().params.path.id, revision, search],
    queryFn: () => sendSearch({ ...search, take: false }),
    enabled: search.find !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });

export async function replaceText(search: Search) {
  const done = await attempt(() => sendSearch({ ...search, take: true }));
  if (done) tell(say.replacedInTexts(done.found.length));
  return done;
}

export const abbreviations = () =>
  queryOptions({ queryKey: ["abbreviations"], queryFn: () => answer(api.GET("/api/abbreviations")) });

export const setAbbreviations = (own: Schemas["Abbreviation"][]) =>
  attempt(() => answer(api.PUT("/api/abbreviations", { body: { own } })));
