import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Id } from "../../model/api";
import { call } from "../../model/changing";
import { get, useApp } from "../../model/store";
import { gib, things, wait } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.compareDialog;

/** What is ready or coming counts as a call, too. */
const readyNow = "";

/** CompareDialog puts two calls beside each other: what going from the one to
 * the other, or to both, loads and rests, and what it costs on every machine. */
export function CompareDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const called = useApp((s) => s.called);
  const saved = things(sheet.calls);
  const [from, setFrom] = useState<Id>(readyNow);
  const [to, setTo] = useState<Id>(saved[0]?.id ?? readyNow);
  const [both, setBoth] = useState(false);
  const rows = (id: Id) => (id === readyNow ? [...get().states.keys()] : (sheet.calls.byId.get(id)?.instruments ?? []));
  const { data } = useQuery({
    queryKey: ["compare", sheet.id, sheet.revision, from, to, both, called],
    queryFn: () =>
      answer(
        api.POST("/api/templates/{id}/calls/compare", {
          params: { path: { id: get().sheet!.id } },
          body: { from: rows(from), to: rows(to), both },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const pick = (label: string, value: Id, set: (id: Id) => void) => (
    <select className="field w-48" aria-label={label} value={value} onChange={(e) => set(e.target.value)}>
      <option value={readyNow}>{say.whatIsReadyNow}</option>
      {saved.map((c) => (
        <option key={c.id} value={c.id}>
          {c.name}
        </option>
      ))}
    </select>
  );
  const seconds = Math.max(0, ...(data?.cost.machines.map((m) => m.seconds) ?? []));
  const fits = data?.cost.machines.every((m) => m.fits);
  const target = both && data ? [...data.stays, ...data.rests, ...data.loads] : rows(to);
  return (
    <Floating title={say.compareTwoCalls} open onOpenChange={close} className="w-[760px]">
      <div className="mb-3 flex flex-wrap items-center gap-2">
        {say.from} {pick(say.from, from, setFrom)} {say.to} {pick(say.To, to, setTo)}
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={both} onChange={(e) => setBoth(e.target.checked)} />
          {say.bothTogether}
        </label>
      </div>
      {data && (
        <div className="flex min-h-0 flex-col gap-3 overflow-y-auto">
          <div className="grid grid-cols-3 gap-4" data-part="comparison">
            <Rows title={say.loads} ids={data.loads} />
            <Rows title={say.rests} ids={data.rests} />
            <Rows title={say.stays} ids={data.stays} />
          </div>
          <table className="w-full border-collapse" data-part="machines">
            <thead>
              <tr className="text-left text-soft">
                <th className="py-1 font-normal">{say.machine}</th>
                <th className="text-right font-normal">{say.fromGib}</th>
                <th className="text-right font-normal">{say.toGib}</th>
                <th className="text-right font-normal">{say.of}</th>
                <th className="text-right font-normal">{say.loads2}</th>
                <th className="text-right font-normal">{say.takes}</th>
              </tr>
            </thead>
            <tbody className="tabular-nums">
              {data.cost.machines.map((m) => (
                <tr key={m.id} className="border-line border-t">
                  <td className="py-1 font-serif">{m.name}</td>
                  <td className="text-right">{gib(m.beforeMib)}</td>
                  <td className={`text-right ${m.fits ? "" : "font-semibold text-accent"}`}>{gib(m.afterMib)}</td>
                  <td className="text-right text-soft">{gib(m.limitMib)}</td>
                  <td className="text-right">{m.loads}</td>
                  <td className="text-right">{m.loads ? wait(m.seconds) : ""}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {data.cost.machines
            .filter((m) => !m.fits)
            .map((m) => (
              <p key={m.id} className="text-accent">
                {m.refusal}.
              </p>
            ))}
          {data.cost.unseated > 0 && <p>{say.ofThemHaveNoSeat(data.cost.unseated)}</p>}
        </div>
      )}
      <div className="mt-3 flex items-center justify-end gap-2">
        <span className="text-soft">{data && (data.loads.length ? wait(seconds) : say.nothingToLoad)}</span>
        <button
          type="button"
          className="button button-main"
          disabled={!data || !fits || target.length === 0}
          onClick={() => void call(target, "only").then((done) => done && close())}
        >
          {both ? say.callBoth : say.callTheSecond}
        </button>
      </div>
    </Floating>
  );
}

/** How many names of a list are shown. */
const mostNames = 12;

function Rows({ title, ids }: { title: string; ids: Id[] }) {
  const sheet = useApp((s) => s.sheet)!;
  return (
    <section aria-label={title}>
      <h3 className="text-[15px]">
        {title} <span className="font-normal font-sans text-[13px] text-soft">{ids.length}</span>
      </h3>
      {ids.slice(0, mostNames).map((id) => (
        <div key={id} className="truncate">
          {sheet.instruments.byId.get(id)?.name}
        </div>
      ))}
      {ids.length > mostNames && <div className="text-soft">{say.andMore(ids.length - mostNames)}</div>}
    </section>
  );
}
