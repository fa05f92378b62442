import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { lookedAt, stay } from "../model/looks";
import { set, useApp } from "../model/store";
import { when } from "../model/template";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.sinceLine;

/** SinceLine says what others changed in the template since one was here last. */
export function SinceLine() {
  const id = useApp((s) => s.sheet!.id);
  const version = useApp((s) => s.sheet!.of !== undefined);
  const [closed, setClosed] = useState("");
  const { data } = useQuery({ ...lookedAt(id), enabled: !version });
  useEffect(() => (version ? undefined : stay(id)), [id, version]);
  if (version || closed === id || !data?.at || data.changes.length === 0) return null;
  const who = [...new Set(data.changes.map((c) => c.author))];
  return (
    <div
      className="flex shrink-0 items-center gap-3 border-line border-b bg-band px-3 py-1.5"
      data-part="since"
      role="status"
    >
      <span className="min-w-0 truncate">
        {say.changesBy(data.changes.length, who.slice(0, 3).join(", "))}
        {who.length > 3 && say.andMore(who.length - 3)} {say.sinceYouWereHereOn(when(data.at))}
      </span>
      <button type="button" className="button ml-auto" onClick={() => set({ dialog: "since-here" })}>
        {say.whatHasChanged}
      </button>
      <button type="button" className="button" onClick={() => setClosed(id)}>
        {say.close}
      </button>
    </div>
  );
}

/** SinceDialog lists what others changed since one was here last. */
export function SinceHereDialog({ close }: { close: () => void }) {
  const id = useApp((s) => s.sheet!.id);
  const { data } = useQuery(lookedAt(id));
  return (
    <Floating title={say.sinceYouWereHere} open onOpenChange={close} className="w-[560px]">
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling list is reached by keyboard */}
      <ol className="min-h-0 overflow-y-auto" tabIndex={0} aria-label={say.changes}>
        {data?.changes.map((c) => (
          <li key={c.revision} className="flex gap-3 border-line border-b py-1">
            <span className="w-24 shrink-0 text-soft">{when(c.at)}</span>
            <span className="w-24 shrink-0 truncate text-soft">{c.author}</span>
            <span className="min-w-0 flex-1">{c.label}</span>
          </li>
        ))}
      </ol>
      <div className="mt-3 flex justify-end">
        <button type="button" className="button" onClick={() => set({ dialog: "history" })}>
          {say.wholeHistory}
        </button>
      </div>
    </Floating>
  );
}
