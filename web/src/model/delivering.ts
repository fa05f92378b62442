import { answer, api, type Bus, type Id, type Schemas } from "./api";
import { at, change, settle } from "./changing";
import { attempt, get, tell } from "./store";
import { words } from "./words";

const say = words.delivering;

/** wire computes the whole wiring, applies the stem rules, or numbers buses. */
export const wire = (what: "everything" | "rules" | "numbers", first?: number, gap?: number) =>
  attempt(() =>
    answer(
      api.POST("/api/templates/{id}/deliver/wire", {
        ...at(),
        body: { what, ...(first === undefined ? {} : { first }), ...(gap === undefined ? {} : { gap }) },
      }),
    ),
  );

/** addWet makes the wet stem that a stem delivered dry lacks. */
export const addWet = (stem: Id) =>
  attempt(() => answer(api.POST("/api/templates/{id}/deliver/wet", { ...at(), body: { stem } })));

/** obey lets exceptions follow the rules again. */
export const obey = (ids: Id[], sends = false) =>
  attempt(() => answer(api.POST("/api/templates/{id}/deliver/obey", { ...at(), body: { ids, sends } })));

/** nest makes stems belong to a stem of the next fold; without one they feed
 * the mix. */
export const nest = (stems: Id[], parent?: Id) =>
  attempt(() =>
    answer(api.POST("/api/templates/{id}/deliver/nest", { ...at(), body: { stems, ...(parent ? { parent } : {}) } })),
  );

export const addFold = (name: string, place: number) =>
  attempt(() => answer(api.POST("/api/templates/{id}/deliver/folds", { ...at(), body: { name, at: place } })));

export const removeFold = (fold: Id) =>
  attempt(() =>
    answer(
      api.DELETE("/api/templates/{id}/deliver/folds/{fold}", {
        params: { path: { id: get().sheet!.id, fold } },
      }),
    ),
  );

export interface StemSource {
  list?: string;
  start?: string;
  sections?: boolean;
  takeAway: boolean;
  rules: boolean;
}

/** establish makes the stems of a list, or only tells what it would make. */
export function establish({ list = "", ...query }: StemSource, take: boolean): Promise<Schemas["StemReport"]> {
  return answer(
    api.POST("/api/templates/{id}/deliver/stems", {
      params: { path: { id: get().sheet!.id }, query: { ...query, take } },
      body: list as never,
      bodySerializer: (x: unknown) => x as string,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );
}

/** setBus replaces a bus and brings the wiring in line. */
export const setBus = (bus: Bus, base?: number) => settle({ kind: "put", buses: [{ at: -1, value: bus }] }, base);

export const setSection = (section: Schemas["Section"], base?: number) =>
  settle({ kind: "put", sections: [{ at: -1, value: section }] }, base);

export async function setPosition(position: "listen" | "print") {
  const done = await change({ kind: "set-position", position });
  if (done) tell(position === "print" ? say.youHearTheRecordedStems : say.youHearTheMix);
}

/** duplicateSection copies a section with everything below it. */
export const duplicateSection = (section: Id) =>
  attempt(() =>
    answer(
      api.POST("/api/templates/{id}/sections/{section}/duplicate", {
        params: { path: { id: get().sheet!.id, section } },
      }),
    ),
  );

/** Copied are rows kept to be pasted, as a template and its rows. */
export interface Copied {
  template: string;
  name: string;
  ids: Id[];
}

const key = "fanfold.copied";

export function copyRows(ids: Id[]) {
  const sheet = get().sheet!;
  const copied: Copied = { template: sheet.id, name: sheet.name, ids };
  localStorage.setItem(key, JSON.stringify(copied));
  tell(say.copiedRowsPasteHere(ids.length));
}

export function copiedRows(): Copied | null {
  try {
    return JSON.parse(localStorage.getItem(key) ?? "null") as Copied | null;
  } catch {
    return null;
  }
}

export type Answers = Record<Id, { bus?: Id; make?: boolean }>;

/** paste brings the copied rows here, or returns the questions about buses
 * that have no counterpart. */
export const paste = (copied: Copied, answers: Answers) =>
  attempt(() =>
    answer(
      api.POST("/api/templates/{id}/paste", { ...at(), body: { from: copied.template, ids: copied.ids, answers } }),
    ),
  );
