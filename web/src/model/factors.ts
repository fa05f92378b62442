import { queryOptions } from "@tanstack/react-query";
import { answer, api, Refusal, type Schemas } from "./api";
import { attempt, tell } from "./store";
import { words } from "./words";

const say = words.factors;

/** factors is what one signs in with. */
export const factors = queryOptions({
  queryKey: ["factors"],
  queryFn: () => answer(api.GET("/api/session/factors")),
});

export const startCodes = () => attempt(() => answer(api.POST("/api/session/codes")));

/** turnOnCodes has codes asked for from now on, and gives the spare ones. */
export const turnOnCodes = (code: string) => attempt(() => answer(api.PUT("/api/session/codes", { body: { code } })));

export const endCodes = (code: string) =>
  attempt(async () => {
    await answer(api.POST("/api/session/codes/end", { body: { code } }));
    tell(say.codesAtSign);
    return true;
  });

/** What keeps passkeys from working here; empty where they do. Browsers know them by the server's name. */
export function whyNoPasskeys() {
  if (isSecureContext && typeof PublicKeyCredential === "undefined") return say.thisBrowserHasNoPasskeys;
  if (/^[\d.]+$|^\[/.test(location.hostname))
    return location.hostname === "127.0.0.1"
      ? say.passkeysWorkAtHttpLocalhost(location.port)
      : say.passkeysWorkWhereTheServer;
  return isSecureContext ? "" : say.passkeysWorkOverHttpsOnly;
}

/** fromDevice asks a device; whoever cancels there is told so. */
async function fromDevice(ask: () => Promise<Credential | null>): Promise<Schemas["Device"]> {
  let said: Credential | null = null;
  try {
    said = await ask();
  } catch (e) {
    if (!(e instanceof DOMException)) throw e;
    const detail = e.name === "InvalidStateError" ? say.thisDeviceHasAPasskey : say.theDeviceGaveNoPasskey;
    throw new Refusal({ type: "about:blank", title: say.noPasskey, status: 0, code: "no-passkey", detail });
  }
  return (said as PublicKeyCredential).toJSON() as Schemas["Device"];
}

const made = (ask: Schemas["Device"]) =>
  fromDevice(() =>
    navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(ask as never) }),
  );

export const addPasskey = (name: string) =>
  attempt(async () => {
    const ask = await answer(api.POST("/api/session/passkeys/begin"));
    return answer(api.POST("/api/session/passkeys", { body: { name, answer: await made(ask) } }));
  });

export const removePasskey = (id: string) =>
  attempt(async () => {
    await answer(api.DELETE("/api/session/passkeys/{id}", { params: { path: { id } } }));
    return true;
  });

export async function signInByPasskey() {
  const ask = await answer(api.POST("/api/session/passkey/begin"));
  const said = await fromDevice(() =>
    navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(ask as never) }),
  );
  return answer(api.POST("/api/session/passkey", { body: { answer: said } }));
}

export async function takeInvitationByPasskey(secret: string, person: string) {
  const params = { path: { secret } };
  const ask = await answer(
    api.POST("/api/session/invitation/{secret}/passkey/begin", { params, body: person ? { name: person } : {} }),
  );
  return answer(
    api.POST("/api/session/invitation/{secret}/passkey", {
      params,
      body: { name: deviceName(), answer: await made(ask), ...(person ? { person } : {}) },
    }),
  );
}

/** browserOf is what a browser says of itself, in short: its system, from the first bracket. */
export const browserOf = (agent: string) => /\(([^;)]+)/.exec(agent)?.[1] ?? (agent || say.aProgram);

/** deviceName is what a passkey of this device is called at first. */
export const deviceName = () => browserOf(navigator.userAgent);
