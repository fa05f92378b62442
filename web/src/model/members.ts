import { queryOptions } from "@tanstack/react-query";
import { answer, api, type Schemas } from "./api";
import { attempt, set, tell } from "./store";
import { words } from "./words";

const say = words.members;

export type Role = Schemas["Role"];

/** What a link into the studio looks like. */
const invitationPath = "/invitation/";

export const linkOf = (secret: string) => `${location.origin}${invitationPath}${secret}`;

/** invitedBy is the secret of the link that somebody came by; empty for none. */
export const invitedBy = () =>
  location.pathname.startsWith(invitationPath) ? location.pathname.slice(invitationPath.length) : "";

/** How often it is looked who has come meanwhile, ms. */
const lookEvery = 5_000;

export const members = queryOptions({
  queryKey: ["members"],
  queryFn: () => answer(api.GET("/api/members")),
  refetchInterval: lookEvery,
});

/** who is the person who is signed in, as they are now. */
export const who = queryOptions({ queryKey: ["who"], queryFn: () => answer(api.GET("/api/session")), staleTime: 0 });

export const signedIn = queryOptions({ queryKey: ["signed-in"], queryFn: () => answer(api.GET("/api/session/all")) });

export const invite = (email: string, role: Role, days: number) =>
  attempt(() => answer(api.POST("/api/invitations", { body: { email, role, days } })));

export const endInvitation = (id: string) =>
  attempt(async () => {
    await answer(api.DELETE("/api/invitations/{id}", { params: { path: { id } } }));
    return true;
  });

export const setRole = (id: string, role: Role) =>
  attempt(async () => {
    await answer(api.PUT("/api/members/{id}", { params: { path: { id } }, body: { role } }));
    return true;
  });

export const removeMember = (id: string, name: string) =>
  attempt(async () => {
    await answer(api.DELETE("/api/members/{id}", { params: { path: { id } } }));
    tell(say.isNoLonger(name));
    return true;
  });

export const letBackIn = (id: string) =>
  attempt(() => answer(api.POST("/api/members/{id}/password", { params: { path: { id } } })));

export const changePassword = (was: string, becomes: string) =>
  attempt(async () => {
    await answer(api.PUT("/api/session/password", { body: { was, becomes } }));
    tell(say.thePasswordIsChangedEverywhere);
    return true;
  });

export const endSessions = () =>
  attempt(async () => {
    await answer(api.DELETE("/api/session/all"));
    tell(say.youAreSignedOutEverywhere);
    return true;
  });

/** refreshPerson takes in what the studio is now. */
const refreshPerson = async () => set({ person: await answer(api.GET("/api/session")) });

/** endStudio deletes the studio; it goes for good after thirty days. */
export const endStudio = (name: string) =>
  attempt(async () => {
    await answer(api.POST("/api/studio/end", { body: { name } }));
    await refreshPerson();
    return true;
  });

export const keepStudio = () =>
  attempt(async () => {
    await answer(api.POST("/api/studio/keep"));
    await refreshPerson();
    tell(say.theStudioIsKept);
  });

export const invitation = (secret: string) =>
  queryOptions({
    queryKey: ["invitation", secret],
    queryFn: () => answer(api.GET("/api/session/invitation/{secret}", { params: { path: { secret } } })),
    retry: false,
  });

export const takeInvitation = (secret: string, name: string, password: string) =>
  answer(
    api.POST("/api/session/invitation/{secret}", {
      params: { path: { secret } },
      body: { password, ...(name ? { name } : {}) },
    }),
  );
