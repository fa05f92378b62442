import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Refusal, type Schemas } from "../model/api";
import { takeInvitationByPasskey, whyNoPasskeys } from "../model/factors";
import { invitation, takeInvitation } from "../model/members";
import { entered } from "../model/opening";
import { when } from "../model/template";
import { Mark } from "./Mark";
import { words } from "./words";

const say = words.invitation;

/** Invitation is where the link of an invitation leads: somebody says who they are and sets a password. */
export function Invitation({ secret, away }: { secret: string; away: () => void }) {
  const { data, error } = useQuery(invitation(secret));
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [wrong, setWrong] = useState("");
  const [busy, setBusy] = useState(false);
  const leave = () => {
    history.replaceState(null, "", "/");
    away();
  };
  const take = async (by: () => Promise<Schemas["Person"]>) => {
    setBusy(true);
    setWrong("");
    try {
      const person = await by();
      leave();
      await entered(person);
    } catch (x) {
      if (!(x instanceof Refusal)) throw x;
      setWrong(x.problem.detail);
    } finally {
      setBusy(false);
    }
  };
  return (
    <main className="grid h-full place-items-center bg-spine">
      <form
        onSubmit={(e: FormEvent) => {
          e.preventDefault();
          void take(() => takeInvitation(secret, name.trim(), password));
        }}
        className="w-96 rounded-[4px] border border-line bg-paper p-6"
        aria-label={say.invitation}
      >
        <div className="mb-4 flex items-center gap-2.5">
          <Mark />
          <h1 className="text-xl">{say.fanfold}</h1>
        </div>
        {error && (
          <>
            <p role="alert" className="mb-4">
              {say.thisLinkNoLongerWorks}
            </p>
            <button type="button" className="button w-full justify-center" onClick={leave}>
              {say.signIn}
            </button>
          </>
        )}
        {data && (
          <>
            <p className="mb-4">
              {data.name ? (
                <>
                  {say.setAnotherPasswordFor(data.name)} <b>{data.studio}</b>.
                </>
              ) : (
                <>
                  {say.youAreInvitedTo} <b>{data.studio}</b> {say.as(data.role)}
                </>
              )}{" "}
              <span className="text-soft">{say.theLinkWorksUntil(when(data.ends))}</span>
            </p>
            <p className="mb-3 text-soft">{data.email}</p>
            {!data.name && (
              <label className="mb-3 block">
                {say.yourName}
                <input
                  className="field mt-1 w-full"
                  autoComplete="name"
                  required
                  value={name}
                  onChange={(e) => setName(e.target.value)}
                />
              </label>
            )}
            <label className="mb-1 block">
              {say.password}
              <input
                type="password"
                className="field mt-1 w-full"
                autoComplete="new-password"
                required
                value={password}
                onChange={(e) => setPassword(e.target.value)}
              />
            </label>
            <p className="mb-4 text-[12px] text-soft">{say.atLeast10Characters}</p>
            <p role="alert" className="mb-3 text-accent empty:hidden">
              {wrong}
            </p>
            <button type="submit" className="button button-main w-full justify-center" disabled={busy}>
              {data.name ? say.setThePassword : say.joinTheStudio}
            </button>
            {!whyNoPasskeys() && (
              <button
                type="button"
                className="button mt-2 w-full justify-center"
                disabled={busy || !(data.name || name.trim())}
                onClick={() => void take(() => takeInvitationByPasskey(secret, name.trim()))}
              >
                {data.name ? say.addAPasskeyInstead : say.joinWithAPasskeyInstead}
              </button>
            )}
          </>
        )}
      </form>
    </main>
  );
}
