import { queryOptions } from "@tanstack/react-query";
import { answer, api } from "./api";

const look = (id: string) =>
  answer(api.POST("/api/templates/{id}/looked", { params: { path: { id } }, keepalive: true }));

/** lookedAt is what others changed in a template since one's visit before. It is asked once a visit. */
export const lookedAt = (id: string) =>
  queryOptions({ queryKey: ["looked", id], queryFn: () => look(id), staleTime: Number.POSITIVE_INFINITY });

/** lookOften is how often it is noted that somebody is here still, ms. */
const lookOften = 60_000;

/** stay notes that somebody looks at a template as long as its page shows, and what they saw last when
 * they leave: what happened before their eyes is not news the next time. */
export function stay(id: string): () => void {
  const note = () => void look(id).catch(() => undefined); // the next one will do
  const timer = setInterval(() => document.hidden || note(), lookOften);
  const hides = () => document.hidden && note();
  document.addEventListener("visibilitychange", hides);
  return () => {
    clearInterval(timer);
    document.removeEventListener("visibilitychange", hides);
    note();
  };
}
