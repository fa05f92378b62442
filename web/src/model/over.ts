import { queryOptions } from "@tanstack/react-query";
import { answer, api, type Schemas } from "./api";

export type Over = Schemas["Over"];

/** overOf are the rows that were recorded over, at a revision of a template. */
export const overOf = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["over", id, revision],
    queryFn: () => answer(api.GET("/api/templates/{id}/over", { params: { path: { id } } })),
    staleTime: 0, // the music of its cue may be another meanwhile
    placeholderData: (before) => before,
  });
