import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import {
  forgetVersion,
  history,
  lookAt,
  nameVersion,
  type PastChange,
  restore,
  takeBackOne,
  type Version,
  versions,
} from "../model/history";
import { set, useApp } from "../model/store";
import { PastLine } from "../parts/PastLine";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.historyDialog;

/** HistoryDialog lists every change with who, when and what; versions with
 * names stand among them. */
export function HistoryDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [before, setBefore] = useState(0);
  const { data: changes } = useQuery(history(sheet.id, sheet.revision, before));
  const { data: named } = useQuery(versions(sheet.id));
  const oldest = changes?.at(-1)?.revision ?? 1;
  return (
    <Floating title={say.history} open onOpenChange={close} className="w-[760px]">
      <NameForm />
      <div
        className="mt-3 min-h-0 flex-1 overflow-y-auto border-line border-y"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
        tabIndex={0}
        role="region"
        aria-label={say.changes}
      >
        {changes?.length === 0 && <p className="py-2 text-soft">{say.nothingHasChangedYet}</p>}
        {changes?.map((c) => (
          <div key={c.revision}>
            {named
              ?.filter((v) => v.revision === c.revision)
              .map((v) => (
                <NamedLine key={v.id} version={v} close={close} />
              ))}
            <ChangeLine change={c} close={close} />
          </div>
        ))}
        {oldest === 1 &&
          named?.filter((v) => v.revision === 0).map((v) => <NamedLine key={v.id} version={v} close={close} />)}
      </div>
      <div className="mt-3 flex items-center gap-2">
        <button type="button" className="button" disabled={before === 0} onClick={() => setBefore(0)}>
          {say.newest}
        </button>
        <button type="button" className="button" disabled={oldest <= 1} onClick={() => setBefore(oldest)}>
          {say.older}
        </button>
        <button type="button" className="button ml-auto" onClick={() => set({ dialog: "compare-templates" })}>
          {say.compare}
        </button>
      </div>
    </Floating>
  );
}

function NameForm() {
  const id = useApp((s) => s.sheet!.id);
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [note, setNote] = useState("");
  const keep = async (e: FormEvent) => {
    e.preventDefault();
    if (!(await nameVersion(name.trim(), note.trim()))) return;
    setName("");
    setNote("");
    await queries.invalidateQueries({ queryKey: ["versions", id] });
  };
  return (
    <form className="flex gap-2" onSubmit={(e) => void keep(e)}>
      <input
        className="field w-52"
        aria-label={say.nameOfTheVersion}
        placeholder={say.nameThisVersion}
        required
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <input
        className="field min-w-0 flex-1"
        aria-label={say.note}
        placeholder={say.aNoteIfYouLike}
        value={note}
        onChange={(e) => setNote(e.target.value)}
      />
      <button type="submit" className="button button-main">
        {say.nameIt}
      </button>
    </form>
  );
}

function NamedLine({ version: v, close }: { version: Version; close: () => void }) {
  const id = useApp((s) => s.sheet!.id);
  const queries = useQueryClient();
  const forget = async () => {
    if (await forgetVersion(v.id)) await queries.invalidateQueries({ queryKey: ["versions", id] });
  };
  return (
    <div className="flex min-h-[34px] items-center gap-3 border-line border-b px-1" data-version={v.name}>
      <span className="min-w-0 flex-1">
        <b className="font-semibold font-serif text-[15px]">{v.name}</b> <span className="text-soft">{v.note}</span>
      </span>
      <button type="button" className="link" onClick={() => void lookAt(v.revision).then((ok) => ok && close())}>
        {say.lookAtIt}
      </button>
      <button type="button" className="link" onClick={() => void restore(id, v.revision).then((ok) => ok && close())}>
        {say.restore}
      </button>
      <button
        type="button"
        className="link"
        onClick={() => set({ dialog: "compare-templates", comparing: { template: id, revision: v.revision } })}
      >
        {say.compare2}
      </button>
      <button type="button" className="link text-soft" onClick={() => void forget()}>
        {say.removeTheName}
      </button>
    </div>
  );
}

function ChangeLine({ change: c, close }: { change: PastChange; close: () => void }) {
  return (
    <PastLine change={c} takeBack={takeBackOne}>
      <button
        type="button"
        className="link text-[12px] text-soft"
        onClick={() => void lookAt(c.revision).then((ok) => ok && close())}
      >
        {say.lookAtIt}
      </button>
    </PastLine>
  );
}
