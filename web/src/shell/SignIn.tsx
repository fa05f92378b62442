import { type FormEvent, useState } from "react";
import { answer, api, Refusal, type Schemas } from "../model/api";
import { signInByPasskey, whyNoPasskeys } from "../model/factors";
import { entered } from "../model/opening";
import { Mark } from "./Mark";
import { words } from "./words";

const say = words.signIn;

export function SignIn() {
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [coded, setCoded] = useState(false);
  const [wrong, setWrong] = useState("");
  const [busy, setBusy] = useState(false);

  const enter = async (ask: () => Promise<Schemas["Person"]>) => {
    setBusy(true);
    setWrong("");
    try {
      await entered(await ask());
    } catch (e) {
      if (!(e instanceof Refusal)) throw e;
      if (e.problem.code === "code-needed") setCoded(true);
      else setWrong(e.problem.detail);
    } finally {
      setBusy(false);
    }
  };
  const submit = (e: FormEvent) => {
    e.preventDefault();
    void enter(() => answer(api.POST("/api/session", { body: { email, password, ...(code ? { code } : {}) } })));
  };

  return (
    <main className="grid h-full place-items-center bg-spine">
      <form onSubmit={submit} className="w-80 rounded-[4px] border border-line bg-paper p-6" aria-label={say.signIn}>
        <div className="mb-5 flex items-center gap-2.5">
          <Mark />
          <h1 className="text-xl">{say.fanfold}</h1>
        </div>
        <label className="mb-1 block" htmlFor="email">
          {say.email}
        </label>
        <input
          id="email"
          className="field mb-3 w-full"
          type="email"
          autoComplete="username"
          required
          value={email}
          onChange={(e) => setEmail(e.target.value)}
        />
        <label className="mb-1 block" htmlFor="password">
          {say.password}
        </label>
        <input
          id="password"
          className="field mb-4 w-full"
          type="password"
          autoComplete="current-password"
          required
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
        {coded && (
          <>
            <label className="mb-1 block" htmlFor="code">
              {say.codeFromYourAuthenticatorApp}
            </label>
            <input
              id="code"
              className="field mb-4 w-full"
              autoComplete="one-time-code"
              required
              ref={(x) => x?.focus()}
              value={code}
              onChange={(e) => setCode(e.target.value)}
            />
          </>
        )}
        <p role="alert" className="mb-3 text-accent empty:hidden">
          {wrong}
        </p>
        <button type="submit" className="button button-main w-full justify-center" disabled={busy}>
          {say.signIn}
        </button>
        {!whyNoPasskeys() && (
          <button
            type="button"
            className="button mt-2 w-full justify-center"
            disabled={busy}
            onClick={() => void enter(signInByPasskey)}
          >
            {say.signInWithAPasskey}
          </button>
        )}
        <button
          type="button"
          className="button mt-2 w-full justify-center"
          disabled={busy}
          onClick={() => void enter(() => answer(api.POST("/api/session/demo")))}
        >
          {say.openTheDemoStudio}
        </button>
      </form>
    </main>
  );
}
