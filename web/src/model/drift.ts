import { queryOptions } from "@tanstack/react-query";
import { answer, api, fileBody, type Schemas } from "./api";
import { at } from "./changing";
import { save } from "./saving";
import { attempt, get, tell } from "./store";

import { words } from "./words";

export type Drift = Schemas["Drift"];
type Pick = Schemas["Pick"];

/** What a session file ends with. */
export const sessionFiles = ".dawproject,.mid,.midi,.smf,.rmi";

/** isSession tells whether a file that is dropped is a session. */
export const isSession = (name: string) => name.toLowerCase().endsWith(".dawproject");

/** readSession reads a session file against the open template. */
export const readSession = (file: File) =>
  attempt(() =>
    answer(
      api.POST("/api/templates/{id}/drift", {
        params: { path: { id: get().sheet!.id }, query: { name: file.name } },
        ...fileBody(file),
      }),
    ),
  );

/** sessionsRead lists the session files that were read against a template. */
export const sessionsRead = (id: string) =>
  queryOptions({
    queryKey: ["sessions", id],
    queryFn: () => answer(api.GET("/api/templates/{id}/drift", { params: { path: { id } } })),
  });

interface Wish {
  take?: Pick[];
  order?: boolean;
  answers?: Record<string, string>;
}

const ask = (session: string, body: Wish) =>
  answer(api.POST("/api/templates/{id}/drift/{session}", { params: { path: { id: get().sheet!.id, session } }, body }));

/** drift is how a session file differs from the template as it is now. */
export const drift = (id: string, revision: number, session: string) =>
  queryOptions({
    queryKey: ["drift", id, session, revision],
    queryFn: () => ask(session, {}),
    enabled: session !== "",
    retry: false,
  });

export const answerSession = (session: string, key: string, value: string) =>
  attempt(() => ask(session, { answers: { [key]: value } }));

export async function takeDrift(session: string, take: Pick[], order: boolean) {
  const done = await attempt(() => ask(session, { take, order }));
  if (done) {
    const parts = [take.length > 0 && words.drift.differences(take.length), order && words.drift.theOrder].filter(
      Boolean,
    );
    tell(words.drift.tookFromTheSession(parts.join(words.drift.and)));
  }
  return done;
}

/** As much as the address of a request may say of what is picked. */
const mostPicked = 50_000;

/** putRight gives the session file back with what is picked and, if wished, its order, or all, as the template
 * has it. */
export async function putRight(session: string, file: File, picks: Pick[], order: boolean) {
  const text = picks.length > 0 ? JSON.stringify(picks) : "";
  if (text.length > mostPicked) {
    tell(words.drift.tooManyAreChosenChoose);
    return;
  }
  await attempt(async () => {
    const asked = api.POST("/api/templates/{id}/drift/{session}/right", {
      params: {
        path: { id: get().sheet!.id, session },
        query: { ...(text ? { picks: text } : {}), ...(order ? { order } : {}) },
      },
      ...fileBody(file),
      parseAs: "blob",
    });
    const data = await answer(asked);
    const left = (await asked).response.headers.get("X-Left");
    save(words.drift.correctedDawproject(file.name.replace(/\.[^.]*$/, "")), data as unknown as Blob);
    tell(left ? words.drift.theSessionIsCorrectedLeft(left) : words.drift.theSessionIsCorrected);
  });
}

export const forgetSession = (session: string) =>
  attempt(async () => {
    await answer(
      api.DELETE("/api/templates/{id}/drift/{session}", { params: { path: { ...at().params.path, session } } }),
    );
    return true;
  });
