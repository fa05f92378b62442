import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, type How, type Id } from "./api";

const path = (id: string) => ({ params: { path: { id } } });

const numbers = new WeakMap<object, number>();
let given = 0;

/** numberOf numbers a collection that never changes, so that thousands of ids
 * need not be compared to know that they are the same. */
function numberOf(ids: object): number {
  const known = numbers.get(ids);
  if (known !== undefined) return known;
  numbers.set(ids, ++given);
  return given;
}

/** What the core computes of one revision of a template. Each is asked again
 * when the revision moves on, showing the last answer meanwhile. */
export const computed = {
  templates: (id: string, revision: number) =>
    queryOptions({
      queryKey: ["templates", id, revision],
      queryFn: () => answer(api.GET("/api/templates")),
      placeholderData: keepPreviousData,
    }),
  marks: (id: string, revision: number) =>
    queryOptions({
      queryKey: ["marks", id, revision],
      queryFn: () => answer(api.GET("/api/templates/{id}/marks", path(id))),
      placeholderData: keepPreviousData,
    }),
  undoable: (id: string, revision: number) =>
    queryOptions({
      queryKey: ["undoable", id, revision],
      queryFn: () => answer(api.GET("/api/templates/{id}/undo", path(id))),
      placeholderData: keepPreviousData,
    }),
  routing: (id: string, revision: number) =>
    queryOptions({
      queryKey: ["routing", id, revision],
      queryFn: () => answer(api.GET("/api/templates/{id}/routing", path(id))),
      placeholderData: keepPreviousData,
    }),
  arriving: (id: string, revision: number, bus: Id) =>
    queryOptions({
      queryKey: ["arriving", id, revision, bus],
      queryFn: () => answer(api.GET("/api/templates/{id}/arriving/{bus}", { params: { path: { id, bus } } })),
    }),
  trace: (id: string, revision: number, instrument: Id) =>
    queryOptions({
      queryKey: ["trace", id, revision, instrument],
      queryFn: () =>
        answer(api.GET("/api/templates/{id}/trace/{instrument}", { params: { path: { id, instrument } } })),
      placeholderData: keepPreviousData,
    }),
  seating: (id: string, revision: number) =>
    queryOptions({
      queryKey: ["seating", id, revision],
      queryFn: () => answer(api.GET("/api/templates/{id}/seating", path(id))),
      placeholderData: keepPreviousData,
    }),
  cost: (id: string, revision: number, called: number, how: How, ids: Iterable<Id> & object) =>
    queryOptions({
      queryKey: ["cost", id, revision, called, how, numberOf(ids)],
      queryFn: () => answer(api.POST("/api/templates/{id}/calls/cost", { ...path(id), body: { ids: [...ids], how } })),
      placeholderData: keepPreviousData,
    }),
};
