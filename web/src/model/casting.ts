import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, fileBody, type Id, type Schemas } from "./api";
import { attempt, get } from "./store";

export type CastingList = Schemas["CastingList"];
export type Preference = Schemas["Preference"];
export type CastPart = Schemas["CastPart"];
export type CastReport = Schemas["CastReport"];

/** CastAsk is a score, by file or by a line, and who should play it. */
export interface CastAsk {
  file: File | null;
  line: string;
  list: Id; // empty for the studio's default
  hand: Record<string, Id[]>;
}

function send(ask: CastAsk, take: boolean, name?: string) {
  const query = {
    ...(ask.file ? {} : { line: ask.line }),
    ...(ask.list ? { list: ask.list } : {}),
    hand: JSON.stringify(ask.hand),
    ...(take ? { take, ...(name ? { name } : {}) } : {}),
  };
  return answer(
    api.POST("/api/templates/{id}/cast", {
      params: { path: { id: get().sheet!.id }, query },
      ...fileBody(ask.file),
    }),
  );
}

/** handed is what people chose by hand with one part more: null lets it be
 * matched again. */
export function handed(hand: Record<string, Id[]>, part: string, ids: Id[] | null): Record<string, Id[]> {
  const { [part]: _, ...rest } = hand;
  return ids ? { ...rest, [part]: ids } : rest;
}

const fileKey = (f: File | null) => (f ? [f.name, f.size, f.lastModified] : null);

export const casting = (ask: CastAsk, revision: number, catalogue: number) =>
  queryOptions({
    queryKey: ["casting", fileKey(ask.file), ask.line, ask.list, ask.hand, revision, catalogue],
    queryFn: () => send(ask, false),
    placeholderData: keepPreviousData,
    enabled: ask.file !== null || ask.line.trim() !== "",
    retry: false,
  });

export const takeCast = (ask: CastAsk, name: string) => attempt(() => send(ask, true, name));
