import createClient from "openapi-fetch";
import type { components, paths } from "./schema";
import { send, Unanswered } from "./sending";
import { words } from "./words";

const say = words.api;

export type Schemas = components["schemas"];
export type Id = string;
export type Instrument = Schemas["Instrument"];
export type Section = Schemas["Section"];
export type Bus = Schemas["Bus"];
export type Machine = Schemas["Machine"];
export type Call = Schemas["Call"];
export type Change = Schemas["Change"];
export type Delta = Schemas["Delta"];
export type Problem = Schemas["Problem"];
export type How = Schemas["Ask"]["how"];

export const api = createClient<paths>({ baseUrl: "/", fetch: (request) => send(request) });

/** Refusal is an error the server explained. */
export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

const offline: Problem = {
  type: "about:blank",
  title: say.theServerDoesNotAnswer,
  status: 0,
  code: "offline",
  detail: say.theServerDoesNotAnswerTry,
};

/** The message for a change whose answer never came. */
const unknown = say.theServerDoesNotAnswerStop;

/** answer unwraps what the server said, or throws a Refusal. */
export async function answer<T>(asked: Promise<{ data?: T; error?: Problem; response: Response }>): Promise<T> {
  let got: { data?: T; error?: Problem; response: Response };
  try {
    got = await asked;
  } catch (e) {
    throw new Refusal(e instanceof Unanswered && e.changes ? { ...offline, detail: unknown } : offline);
  }
  if (!got.response.ok) {
    throw new Refusal(got.error?.detail ? got.error : { ...offline, status: got.response.status });
  }
  return got.data as T;
}

/** fileBody sends a file as it is. */
export const fileBody = (file: Blob | null) => ({
  body: "" as never, // the file itself, below
  bodySerializer: () => file ?? "",
  headers: { "Content-Type": "application/octet-stream" },
});
