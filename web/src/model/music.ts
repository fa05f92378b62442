import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, fileBody, type Id, type Schemas } from "./api";
import { at } from "./changing";
import { attempt, get } from "./store";

export type MusicPart = Schemas["MusicPart"];

/** MusicAsk is a cue, and whom a person chose for its parts. */
export interface MusicAsk {
  file: File | null;
  hand: Record<string, Id[]>;
}

function send(ask: MusicAsk, take: boolean, name: string) {
  const query = { hand: JSON.stringify(ask.hand), ...(name ? { name } : {}), ...(take ? { take } : {}) };
  return answer(
    api.POST("/api/templates/{id}/calls/music", {
      params: { path: { id: get().sheet!.id }, query },
      ...fileBody(ask.file),
    }),
  );
}

/** listen tells who plays a piece. */
export const listen = (ask: MusicAsk) => send(ask, false, "");

/** handOfParts is whom a person chose, by the parts' IDs: cues know parts by their names, which
 * outlast another file. */
export function handOfParts(
  byName: Record<string, readonly Id[]> | undefined,
  parts: readonly MusicPart[],
): Record<string, Id[]> {
  const out: Record<string, Id[]> = {};
  for (const p of parts) if (byName && p.name in byName) out[p.id] = [...byName[p.name]!];
  return out;
}

/** handByName is the other way around. */
export function handByName(hand: Record<string, Id[]>, parts: readonly MusicPart[]): Record<string, Id[]> {
  const out: Record<string, Id[]> = {};
  for (const p of parts) if (p.id in hand) out[p.name] = hand[p.id]!;
  return out;
}

/** nameOf is a file's name without its ending. */
export const nameOf = (file: string) => file.replace(/\.[^.]*$/, "");

export const heard = (ask: MusicAsk, revision: number, called: number) =>
  queryOptions({
    queryKey: ["music", ask.file?.name, ask.file?.size, ask.file?.lastModified, ask.hand, revision, called],
    queryFn: () => send(ask, false, ""),
    placeholderData: keepPreviousData,
    enabled: ask.file !== null,
    retry: false,
  });

export const keepCue = (ask: MusicAsk, name: string) => attempt(() => send(ask, true, name));

/** print keeps a recorded file and puts it in an instrument's place. */
export function print(instrument: Id, file: File, call: Id) {
  const { path } = at().params;
  return attempt(() =>
    answer(
      api.POST("/api/templates/{id}/instruments/{instrument}/printed", {
        params: {
          path: { ...path, instrument },
          query: { file: file.name, ...(call ? { call } : {}) },
        },
        ...fileBody(file),
      }),
    ),
  );
}
