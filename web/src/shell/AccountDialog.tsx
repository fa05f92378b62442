import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { browserOf, factors } from "../model/factors";
import { changePassword, endSessions, signedIn, who } from "../model/members";
import { useApp } from "../model/store";
import { when } from "../model/template";
import { Floating } from "./Floating";
import { WaysIn } from "./WaysIn";
import { words } from "./words";

const say = words.accountDialog;

/** AccountDialog is a person's own: what they sign in with, and where they are signed in. */
export function AccountDialog({ close }: { close: () => void }) {
  const known = useApp((s) => s.person)!;
  const { data: me = known } = useQuery(who);
  const client = useQueryClient();
  const { data } = useQuery(signedIn);
  const { data: ways } = useQuery(factors);
  const [was, setWas] = useState("");
  const [becomes, setBecomes] = useState("");
  const again = () => client.invalidateQueries({ queryKey: signedIn.queryKey });
  const change = async (e: FormEvent) => {
    e.preventDefault();
    if (!(await changePassword(was, becomes))) return;
    setWas("");
    setBecomes("");
    await again();
    await client.invalidateQueries({ queryKey: factors.queryKey });
  };
  return (
    <Floating title={say.yourAccount} open onOpenChange={close} className="w-[560px] overflow-auto">
      <p>
        {me.name}, {me.email}
        <span className="text-soft">{say.of(me.role, me.studio)}</span>
      </p>
      <form onSubmit={(e) => void change(e)} className="mt-4">
        <h3 className="mb-1 text-[15px]">{say.password}</h3>
        <div className="flex gap-2">
          {ways?.password !== false && (
            <input
              type="password"
              className="field flex-1"
              autoComplete="current-password"
              placeholder={say.currentPassword}
              aria-label={say.currentPassword}
              required
              value={was}
              onChange={(e) => setWas(e.target.value)}
            />
          )}
          <input
            type="password"
            className="field flex-1"
            autoComplete="new-password"
            placeholder={say.newPassword}
            aria-label={say.newPassword}
            required
            minLength={10}
            value={becomes}
            onChange={(e) => setBecomes(e.target.value)}
          />
          <button type="submit" className="button button-main">
            {ways?.password === false ? say.set : say.change}
          </button>
        </div>
        <p className="mt-1 text-[12px] text-soft">{say.atLeast10Characters}</p>
      </form>
      <WaysIn />
      <h3 className="mt-4 mb-1 text-[15px]">{say.signedIn}</h3>
      <ul className="border-line border-b" aria-label={say.whereYouAreSignedIn}>
        {data?.map((s) => (
          <li key={s.since + s.address} className="flex min-h-8 items-center gap-3 border-line border-t">
            <span className="min-w-0 flex-1 truncate" title={s.agent}>
              {browserOf(s.agent)} {s.here && <span className="text-soft">{say.here}</span>}
            </span>
            <span className="text-soft">{s.address}</span>
            <span className="text-soft">{say.since(when(s.since))}</span>
          </li>
        ))}
      </ul>
      <button
        type="button"
        className="button mt-3 self-start"
        disabled={(data?.length ?? 0) < 2}
        onClick={async () => {
          await endSessions();
          await again();
        }}
      >
        {say.signOutEverywhereElse}
      </button>
    </Floating>
  );
}
