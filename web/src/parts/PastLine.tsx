import type { ReactNode } from "react";
import type { PastChange } from "../model/history";
import { when } from "../model/template";
import { words } from "./words";

const say = words.pastLine;

interface Props {
  change: PastChange;
  takeBack: (revision: number) => unknown;
  children?: ReactNode; // what else can be done with it
}

const verbs = { do: "", undo: say.undo, redo: say.redo, follow: "" };

/** PastLine is one change of a history, which can be taken back alone. */
export function PastLine({ change: c, takeBack, children }: Props) {
  return (
    <div
      className={`flex min-h-[26px] items-center gap-3 px-1 ${c.revision % 2 ? "bg-band" : ""}`}
      data-past={c.revision}
      title={say.revision(c.revision)}
    >
      <span className="w-12 shrink-0 text-right text-soft tabular-nums">{c.revision}</span>
      <span className="w-28 shrink-0 text-soft">{when(c.at)}</span>
      <span className="w-24 shrink-0 truncate text-soft">{c.author}</span>
      <span className="min-w-0 flex-1 truncate">
        {verbs[c.role]}
        {c.label}
      </span>
      {children}
      <button
        type="button"
        className="link text-[12px] text-soft"
        disabled={c.role === "follow"}
        onClick={() => void takeBack(c.revision)}
      >
        {say.takeBack}
      </button>
    </div>
  );
}
