import { answer, api, type Id } from "./api";
import { attempt, get } from "./store";

/** How long a credential is good at first, days; a host that keeps it in a file renews it. */
export const usualDays = 366;

/** makeCredential makes a credential for the host of a machine, and gives the command that starts it. */
export const makeCredential = (machine: Id, days: number) =>
  attempt(() => answer(api.POST("/api/machines/credential", { body: { template: get().sheet!.id, machine, days } })));
