import { type FormEvent, useState } from "react";
import type { Bus } from "../../model/api";
import { busKinds, busKindsThat } from "../../model/buskinds";
import { change } from "../../model/changing";
import { randomId } from "../../model/sending";
import { set, useApp } from "../../model/store";
import { things } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.newBus;

/** NewBus makes a group, return or stem, wired onward. */
export function NewBus() {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button type="button" className="button" onClick={() => setOpen(true)}>
        {say.newBus}
      </button>
      {open && <Form close={() => setOpen(false)} />}
    </>
  );
}

function Form({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [kind, setKind] = useState<Bus["kind"]>("return");
  const is = busKinds[kind];
  const [name, setName] = useState("");
  const onward = things(sheet.buses).filter((b) => busKinds[b.kind].stem || busKinds[b.kind].only);
  const folds = things(sheet.folds);
  const [fold, setFold] = useState(folds[0]?.id ?? "");
  const [to, setTo] = useState(onward[0]?.id ?? "");
  const make = async (e: FormEvent) => {
    e.preventDefault();
    const id = `bus-${randomId()}`;
    const from = sheet.buses.byId.get(to);
    const value: Bus = {
      id,
      kind,
      name: name.trim(),
      gainDb: 0,
      routes: busKinds[kind].last ? [] : [{ to, gainDb: 0, tap: "post" }],
    };
    if (is.stem) value.fold = fold;
    if (is.process) value.process = is.process;
    if (from?.section) value.section = from.section;
    close();
    if (await change({ kind: "put", buses: [{ at: -1, value }] })) set({ bus: id });
  };
  return (
    <Floating title={say.NewBus} open onOpenChange={close} className="w-96">
      <form onSubmit={(e) => void make(e)} className="grid grid-cols-[80px_1fr] items-center gap-2">
        <label htmlFor="bus-kind">{say.kind}</label>
        <select id="bus-kind" className="field" value={kind} onChange={(e) => setKind(e.target.value as Bus["kind"])}>
          {busKindsThat((k) => k.made).map((k) => (
            <option key={k} value={k}>
              {busKinds[k].words}
            </option>
          ))}
        </select>
        {is.stem && (
          <>
            <label htmlFor="bus-fold">{say.ofTheFold}</label>
            <select id="bus-fold" className="field" value={fold} onChange={(e) => setFold(e.target.value)}>
              {folds.map((f) => (
                <option key={f.id} value={f.id}>
                  {f.name}
                </option>
              ))}
            </select>
          </>
        )}
        <label htmlFor="bus-name">{say.name}</label>
        <input id="bus-name" className="field" required value={name} onChange={(e) => setName(e.target.value)} />
        <label htmlFor="bus-to">{say.feeds}</label>
        <select id="bus-to" className="field" value={to} onChange={(e) => setTo(e.target.value)}>
          {onward.map((b) => (
            <option key={b.id} value={b.id}>
              {b.name}
            </option>
          ))}
        </select>
        <div className="col-span-2 mt-2 flex justify-end gap-2">
          <button type="submit" className="button button-main">
            {say.create}
          </button>
        </div>
      </form>
    </Floating>
  );
}
