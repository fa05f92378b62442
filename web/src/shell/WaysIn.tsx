import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import type { Schemas } from "../model/api";
import {
  addPasskey,
  deviceName,
  endCodes,
  factors,
  removePasskey,
  startCodes,
  turnOnCodes,
  whyNoPasskeys,
} from "../model/factors";
import { when } from "../model/template";
import { words } from "./words";

const say = words.waysIn;

/** WaysIn is what one signs in with beside a password: passkeys, and codes after the password. */
export function WaysIn() {
  const client = useQueryClient();
  const { data } = useQuery(factors);
  const again = () => client.invalidateQueries({ queryKey: factors.queryKey });
  if (!data) return null;
  return (
    <>
      <Passkeys list={data.passkeys} again={again} />
      <Codes on={data.codes} spares={data.spares} again={again} />
    </>
  );
}

function Passkeys({ list, again }: { list: Schemas["Passkey"][]; again: () => Promise<void> }) {
  const [name, setName] = useState(deviceName);
  const [busy, setBusy] = useState(false);
  const why = whyNoPasskeys();
  const add = async (e: FormEvent) => {
    e.preventDefault();
    setBusy(true);
    await addPasskey(name.trim());
    setBusy(false);
    await again();
  };
  return (
    <section className="mt-4" aria-label={say.passkeys}>
      <h3 className="mb-1 text-[15px]">{say.passkeys}</h3>
      <ul className="border-line border-b empty:hidden">
        {list.map((k) => (
          <li
            key={k.id}
            className="flex min-h-8 items-center gap-3 border-line border-t"
            data-passkey={k.name}
            title={say.for(k.place)}
          >
            <span className="min-w-0 flex-1 truncate">{k.name}</span>
            <span className="text-soft">{k.used ? say.used(when(k.used)) : say.added(when(k.since))}</span>
            <button
              type="button"
              className="link"
              aria-label={say.removeThePasskey(k.name)}
              onClick={async () => {
                await removePasskey(k.id);
                await again();
              }}
            >
              {say.remove}
            </button>
          </li>
        ))}
      </ul>
      {why ? (
        <p className="text-[12px] text-soft">{why}</p>
      ) : (
        <form onSubmit={(e) => void add(e)} className="mt-2 flex gap-2">
          <input
            className="field flex-1"
            aria-label={say.nameOfTheDevice}
            required
            maxLength={100}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <button type="submit" className="button" disabled={busy}>
            {say.addAPasskey}
          </button>
        </form>
      )}
      <p className="mt-1 text-[12px] text-soft">{say.youSign}</p>
    </section>
  );
}

/** Codes turns on that a code of an authenticator app is asked for, and off. */
function Codes({ on, spares, again }: { on: boolean; spares: number; again: () => Promise<void> }) {
  const [key, setKey] = useState<Schemas["CodeKey"] | null>(null);
  const [told, setTold] = useState<string[] | null>(null);
  const [ending, setEnding] = useState(false);
  const [code, setCode] = useState("");
  const send = async (e: FormEvent) => {
    e.preventDefault();
    if (on) {
      if (!(await endCodes(code))) return;
      setTold(null);
      setEnding(false);
    } else {
      const x = await turnOnCodes(code);
      if (!x) return;
      setTold(x.spares);
      setKey(null);
    }
    setCode("");
    await again();
  };
  const field = (
    <input
      className="field w-40"
      aria-label={say.code}
      placeholder={on ? say.codeOrASpareOne : say.code}
      autoComplete="one-time-code"
      required
      value={code}
      onChange={(e) => setCode(e.target.value)}
    />
  );
  return (
    <section className="mt-4" aria-label={say.codeAtSignIn}>
      <h3 className="mb-1 text-[15px]">{say.codeAtSignIn}</h3>
      {!on && !key && (
        <div className="flex items-center gap-3">
          <p className="flex-1 text-soft">{say.afterThePasswordACode}</p>
          <button
            type="button"
            className="button"
            onClick={async () => {
              setKey((await startCodes()) ?? null);
            }}
          >
            {say.turnOn}
          </button>
        </div>
      )}
      {key && (
        <div className="flex gap-4">
          <img
            src={key.picture}
            width={140}
            height={140}
            alt={say.theKeyAsAQr}
            className="shrink-0 self-start bg-white p-2"
          />
          <form onSubmit={(e) => void send(e)} className="min-w-0">
            <p>{say.scanThisWithAnAuthenticator}</p>
            <p className="my-1 select-all break-all font-mono text-[12px]" data-part="key">
              {key.secret.replace(/(.{4})/g, "$1 ")}
            </p>
            <p className="mb-2">{say.thenGiveTheCode}</p>
            <div className="flex gap-2">
              {field}
              <button type="submit" className="button button-main">
                {say.turnOn}
              </button>
              <button type="button" className="button" onClick={() => setKey(null)}>
                {say.cancel}
              </button>
            </div>
          </form>
        </div>
      )}
      {told && (
        <div className="mb-2" data-part="spares">
          <p>{say.writeTheseSpareCodesDown}</p>
          <ul className="mt-1 grid select-all grid-cols-2 gap-x-6 font-mono text-[12px]">
            {told.map((s) => (
              <li key={s}>{s}</li>
            ))}
          </ul>
        </div>
      )}
      {on &&
        (ending ? (
          <form onSubmit={(e) => void send(e)} className="flex gap-2">
            {field}
            <button type="submit" className="button">
              {say.turnOff}
            </button>
            <button type="button" className="button" onClick={() => setEnding(false)}>
              {say.cancel}
            </button>
          </form>
        ) : (
          <div className="flex items-center gap-3">
            <p className="flex-1">
              {say.on} <span className="text-soft">{say.spareCodesLeft(spares)}</span>
            </p>
            <button type="button" className="button" onClick={() => setEnding(true)}>
              {say.turnOffDots}
            </button>
          </div>
        ))}
    </section>
  );
}
