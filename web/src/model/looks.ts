import { queryOptions } from "@tanstack/react-query";
import { answer, api } from "./api";

const look = (id: string) => answer(api.POST("/api/templates/{id}/looked", { params: { path: { id } } }));

/** lookedAt is what others changed in a template since one's visit before. It is asked once a visit. */
export const lookedAt = (id: string) =>
  queryOptions({ queryKey: ["looked", id], queryFn: () => look(id), staleTime: Number.POSITIVE_INFINITY });

/** lookOften is how often it is noted that somebody is here still, ms. */
const lookOften = 60_000;

/** stay notes that somebody looks at a template, as long as its page shows. */
export function stay(id: string): () => void {
  const timer = setInterval(() => {
    if (!document.hidden) void look(id).catch(() => undefined); // the next one will do
  }, lookOften);
  return () => clearInterval(timer);
}
