import { keepPreviousData, queryOptions, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { answer, api, fileBody, type Id, type Schemas } from "./api";
import { follow } from "./following";
import { attempt, get, tell } from "./store";
import { words } from "./words";

const say = words.catalogue;

export type Patch = Schemas["Patch"];
export type Mapping = Schemas["Mapping"];
export type Switch = Schemas["Switch"];
export type Catalogue = Schemas["Catalogue"];
export type PatchFields = Schemas["PatchFields"];

/** Asked says which patches are looked for. */
export interface Asked {
  text: string;
  library: Id;
  sort: "" | "name" | "memory" | "library";
}

const pageOf = 200;

const queries = {
  catalogue: queryOptions({ queryKey: ["catalogue"], queryFn: () => answer(api.GET("/api/catalogue")) }),
  page: (asked: Asked, page: number) =>
    queryOptions({
      queryKey: ["patches", asked, page],
      queryFn: () =>
        answer(
          api.GET("/api/catalogue/patches", {
            params: {
              query: {
                text: asked.text,
                library: asked.library,
                ...(asked.sort ? { sort: asked.sort } : {}),
                offset: page * pageOf,
                limit: pageOf,
              },
            },
          }),
        ),
      placeholderData: keepPreviousData,
    }),
};

/** useCatalogue is what the studio knows, apart from the patches. */
export const useCatalogue = () => useQuery(queries.catalogue).data;

/** usePatches finds patches, page by page as they come into view. */
export function usePatches(asked: Asked, from: number, to: number) {
  const first = Math.floor(from / pageOf);
  const pages = Array.from({ length: Math.floor(to / pageOf) - first + 1 }, (_, n) => first + n);
  const answers = useQueries({ queries: pages.map((n) => queries.page(asked, n)) });
  const total = answers.find((a) => a.data)?.data?.total ?? 0;
  const at = (n: number): Patch | undefined => answers[Math.floor(n / pageOf) - first]?.data?.patches[n % pageOf];
  return { total, at, revision: answers[0]?.data?.revision ?? 0, loading: answers.some((a) => a.isPending) };
}

/** useCatalogueEvents asks again whenever somebody changes the catalogue. */
export function useCatalogueEvents(id: string | undefined) {
  const client = useQueryClient();
  useEffect(() => {
    if (!id) return;
    return follow(id, -1, ({ name }) => {
      if (name !== "change" && name !== "reset") return;
      void client.invalidateQueries({ queryKey: ["catalogue"] });
      void client.invalidateQueries({ queryKey: ["patches"] });
    });
  }, [id, client]);
}

const of = (id: string) => ({ params: { path: { id } } });

/** editPatches sets fields of patches; a clash asks which value should stand. */
export function editPatches(ids: Id[], fields: PatchFields, base: number) {
  const send = (base: number) => answer(api.POST("/api/catalogue/patches/edit", { body: { base, ids, set: fields } }));
  return attempt(
    () => send(base),
    async () => send((await answer(api.GET("/api/catalogue"))).revision),
  );
}

/** changeCatalogue sends one change of the catalogue itself. */
export function changeCatalogue(cat: Catalogue, change: Schemas["Change"]) {
  const send = (base: number) =>
    answer(api.POST("/api/templates/{id}/changes", { ...of(cat.id), body: { base, change } }));
  return attempt(
    () => send(cat.revision),
    async () => send((await answer(api.GET("/api/catalogue"))).revision),
  );
}

/** takePatchList reads a patch list; with take, its good lines are taken. */
export const takePatchList = (file: File, take: boolean, decimal?: "point" | "comma") =>
  attempt(() =>
    answer(
      api.POST("/api/catalogue/list", {
        params: { query: { take, ...(decimal ? { decimal } : {}) } },
        ...fileBody(file),
      }),
    ),
  );

export const undoCatalogue = (id: string) => attempt(() => answer(api.POST("/api/templates/{id}/undo", of(id))));
export const redoCatalogue = (id: string) => attempt(() => answer(api.POST("/api/templates/{id}/redo", of(id))));

/** use makes instruments of patches: where they usually stand, before a row,
 * or out of a spare row. */
export async function use(patches: Id[], where: { section?: Id; before?: Id; onto?: Id } = {}) {
  const done = await attempt(() =>
    answer(api.POST("/api/templates/{id}/use", { ...of(get().sheet!.id), body: { patches, ...where } })),
  );
  if (done) tell(patches.length === 1 ? say.itIsInTheOrchestra : say.areInTheOrchestra(patches.length));
  return done;
}

/** swap gives rows another patch, or with layer one more; it tells what they
 * lose and gain, and does it only with take. */
export const swap = (ids: Id[], patch: Id, layer: boolean, take: boolean) =>
  attempt(() =>
    answer(api.POST("/api/templates/{id}/swap", { ...of(get().sheet!.id), body: { ids, patch, layer, take } })),
  );

export const faultsOf = (body: Schemas["MapCheck"]) =>
  queryOptions({
    queryKey: ["faults", body],
    queryFn: () => answer(api.POST("/api/catalogue/map/check", { body })),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const tried = (body: Schemas["MapTry"]) =>
  queryOptions({
    queryKey: ["tried", body],
    queryFn: () => answer(api.POST("/api/catalogue/map/try", { body })),
    placeholderData: keepPreviousData,
    retry: false,
  });
