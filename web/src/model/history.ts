import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, type Id, type Schemas } from "./api";
import { at } from "./changing";
import { openTemplate } from "./opening";
import { attempt, get, tell } from "./store";

import { words } from "./words";

const say = words.history;

export type PastChange = Schemas["PastChange"];
export type Version = Schemas["Version"];
export type Difference = Schemas["Difference"];

const to = (revision: number) => ({ params: { path: { id: get().sheet!.id, revision } } });

/** history lists changes, newest first; before 0 begins with the last. */
export const history = (id: string, revision: number, before: number) =>
  queryOptions({
    queryKey: ["history", id, revision, before],
    queryFn: () =>
      answer(api.GET("/api/templates/{id}/history", { params: { path: { id }, query: before ? { before } : {} } })),
    placeholderData: keepPreviousData,
  });

export const versions = (id: string) =>
  queryOptions({
    queryKey: ["versions", id],
    queryFn: () => answer(api.GET("/api/templates/{id}/versions", { params: { path: { id } } })),
  });

export async function takeBackOne(revision: number) {
  const done = await attempt(() => answer(api.POST("/api/templates/{id}/history/{revision}/take-back", to(revision))));
  if (done) tell(say.takenBackAsAChange);
  return done;
}

/** lookAt opens the template as it was. */
export async function lookAt(revision: number) {
  const row = await attempt(() => answer(api.POST("/api/templates/{id}/history/{revision}/look", to(revision))));
  if (row) await attempt(() => openTemplate(row.id));
  return row;
}

export async function restore(id: string, revision: number) {
  const done = await attempt(() =>
    answer(api.POST("/api/templates/{id}/history/{revision}/restore", { params: { path: { id, revision } } })),
  );
  if (done) tell(say.itIs(revision));
  return done;
}

export const nameVersion = (name: string, note: string, revision?: number) =>
  attempt(() =>
    answer(
      api.POST("/api/templates/{id}/versions", {
        ...at(),
        body: { name, note, ...(revision === undefined ? {} : { revision }) },
      }),
    ),
  );

export const forgetVersion = (version: string) =>
  attempt(async () => {
    await answer(
      api.DELETE("/api/templates/{id}/versions/{version}", {
        params: { path: { id: get().sheet!.id, version } },
      }),
    );
    return true;
  });

/** branch makes a template of its own from this one, and opens it. */
export async function branch(name: string, revision?: number) {
  const row = await attempt(() =>
    answer(
      api.POST("/api/templates/{id}/branch", {
        ...at(),
        body: { name, ...(revision === undefined ? {} : { revision }) },
      }),
    ),
  );
  if (!row) return;
  await attempt(() => openTemplate(row.id));
  tell(say.isATemplate(row.name));
}

export const lock = (locked: boolean) =>
  attempt(async () => {
    await answer(api.POST("/api/templates/{id}/lock", { ...at(), body: { locked } }));
    tell(locked ? say.lockedNobodyCanChangeIt : say.unlocked);
    return true;
  });

export interface Other {
  template: string;
  revision: number | null; // null for the present
}

/** Taken is a difference to be taken; of a row, perhaps one field. */
export interface Taken {
  noun: string;
  id: Id;
  field?: string;
}

const send = (other: Other, take?: Taken[]) =>
  answer(
    api.POST("/api/templates/{id}/compare", {
      ...at(),
      body: {
        with: other.template,
        ...(other.revision === null ? {} : { revision: other.revision }),
        ...(take ? { take } : {}),
      },
    }),
  );

/** compared puts the open template and another side by side. */
export const compared = (other: Other, revision: number) =>
  queryOptions({
    queryKey: ["compare", at().params.path.id, revision, other],
    queryFn: () => send(other),
    enabled: other.template !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });

export async function takeAcross(other: Other, take: Taken[]) {
  const done = await attempt(() => send(other, take));
  if (done) tell(say.differencesTakenAcross(take.length));
  return done;
}
