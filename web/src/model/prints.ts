import { queryOptions, useQueryClient } from "@tanstack/react-query";
import { answer, api, fileBody, type Schemas } from "./api";
import { words } from "./words";

const say = words.prints;

export type PrintRow = Schemas["PrintRow"];
export type PrintWhole = Schemas["PrintWhole"];
export type Mark = Schemas["AuditMark"];

const going = new Set(["waiting", "running", "proving"]);

/** isGoing tells whether a print waits for its turn, or is made. */
export const isGoing = (p: { state: string }) => going.has(p.state);

/** How often it is looked how far prints are, ms: while one is made, and otherwise. */
const soon = 700;
const later = 10_000;

export const printsOf = (id: string) =>
  queryOptions({
    queryKey: ["prints", id],
    queryFn: () => answer(api.GET("/api/templates/{id}/prints", { params: { path: { id } } })),
    refetchInterval: (q) => (q.state.data?.prints.some(isGoing) ? soon : later),
  });

/** printOf is one print, as it is in a state. */
export const printOf = (id: string, state: string, line: string) =>
  queryOptions({
    queryKey: ["print", id, state, line],
    queryFn: () => answer(api.GET("/api/prints/{id}", { params: { path: { id } } })),
  });

/** waveOf is a file as it is drawn: for every 256 frames the lowest and highest sample of each side. */
export const waveOf = (print: string, number: number, sha256: string) =>
  queryOptions({
    queryKey: ["wave", sha256],
    queryFn: async () => {
      const got = await fetch(`/api/prints/${print}/waves/${number}`);
      if (!got.ok) throw new Error(say.thereIsNoDrawing);
      return new Int8Array(await got.arrayBuffer());
    },
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** differsOf is how a file differs from the same stem of another print. */
export const differsOf = (print: string, number: number, before: string) =>
  queryOptions({
    queryKey: ["differs", print, number, before],
    queryFn: () =>
      answer(
        api.GET("/api/prints/{id}/files/{number}/against/{before}", {
          params: { path: { id: print, number, before } },
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** shapeOf is the loudness of a file over time, and its spectrum. */
export const shapeOf = (print: string, number: number) =>
  queryOptions({
    queryKey: ["shape", print, number],
    queryFn: () =>
      answer(api.GET("/api/prints/{id}/files/{number}/shape", { params: { path: { id: print, number } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** waveFrames is how many frames one step of a wave has, and waveBytes what a step takes. */
export const waveFrames = 256;
export const waveBytes = 4;

/** bringIn sends recorded files of a cue or of another piece, one after the other, and has them proved. */
export async function bringIn(
  id: string,
  title: string,
  cue: { production: string; cue: string } | undefined,
  files: readonly File[],
  told: (sent: number) => void,
) {
  const of = cue ? { production: cue.production, cue: cue.cue } : {};
  const made = await answer(
    api.POST("/api/templates/{id}/prints/recorded", { params: { path: { id } }, body: { title, peakDb: -1, ...of } }),
  );
  const params = { path: { id: made.id } };
  for (const [n, f] of files.entries()) {
    const name = f.webkitRelativePath ? f.webkitRelativePath.split("/").slice(1).join("/") : f.name;
    await answer(api.PUT("/api/prints/{id}/files", { params: { ...params, query: { name } }, ...fileBody(f) }));
    told(n + 1);
  }
  await answer(api.POST("/api/prints/{id}/resume", { params }));
  return made.id;
}

/** clock writes a place: minutes, seconds and tenths. */
export function clock(s: number) {
  const tenths = Math.floor(Math.max(0, s) * 10);
  return `${Math.floor(tenths / 600)}:${String(Math.floor(tenths / 10) % 60).padStart(2, "0")}.${tenths % 10}`;
}

/** useLookAgain looks at the prints of a template again. */
export function useLookAgain(id: string) {
  const client = useQueryClient();
  return () => client.invalidateQueries({ queryKey: ["prints", id] });
}
