import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../model/api";
import { call } from "../../model/changing";
import { createTemplate } from "../../model/opening";
import { attempt, get, select, tell, useApp } from "../../model/store";
import { mib } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.smallDialog;

const mibOfGib = 1024;

/** SmallDialog takes a small set out of the big template: what is most useful to
 * write with within a memory budget, what each row is for, and what is left out. */
export function SmallDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [budget, setBudget] = useState(16);
  const [without, setWithout] = useState<ReadonlySet<string>>(new Set()); // names of what is not wanted
  const [word, setWord] = useState("");
  const [words, setWords] = useState<string[]>([]);
  const [name, setName] = useState(say.sketch);
  const ask = (keep?: string) =>
    answer(
      api.POST("/api/templates/{id}/calls/small", {
        params: { path: { id: get().sheet!.id } },
        body: { budgetMib: budget * mibOfGib, without: [...without], words, ...(keep ? { keep } : {}) },
      }),
    );
  const { data } = useQuery({
    queryKey: ["small", sheet.id, sheet.revision, budget, [...without], words],
    queryFn: () => ask(),
    enabled: Number.isFinite(budget) && budget >= 0,
    placeholderData: keepPreviousData,
  });
  const want = (name: string, on: boolean) => {
    const next = new Set(without);
    if (on) next.delete(name);
    else next.add(name);
    setWithout(next);
  };
  const ids = data?.rows.map((r) => r.id) ?? [];
  const keep = async () => {
    if (!(await attempt(() => ask(name)))) return;
    tell(say.isACallNow(name));
    close();
  };
  const bring = async () => {
    if (await call(ids, "only")) close();
  };
  const template = async () => {
    if (await createTemplate(name, { from: sheet.id, rows: ids })) close();
  };
  const rowName = (id: string) => sheet.instruments.byId.get(id)?.name;
  const extra = data?.rows.filter((r) => r.for.startsWith("more: ")) ?? [];
  const idle = ids.length === 0;
  return (
    <Floating title={say.makeASmallSet} open onOpenChange={close} className="w-[760px]">
      <div className="mb-2 flex items-center gap-3">
        <label className="flex items-center gap-2">
          {say.within}
          <input
            type="number"
            className="field w-20"
            min={0}
            max={65536}
            step="any"
            aria-label={say.budgetGib}
            value={budget}
            onChange={(e) => setBudget(Number(e.target.value))}
          />
          {say.gibOfMemoryWithPlayers}
        </label>
        <span className="ml-auto" data-part="small-sum">
          {data && say.instrumentsIn(ids.length, mib(data.mib))}
        </span>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto border-line border-y">
        <table className="w-full text-left" aria-label={say.whatItPlays}>
          <tbody>
            {data?.wants.map((w) => (
              <tr key={w.name} className="odd:bg-band" data-want={w.name}>
                <td className="w-56 py-0.5 pl-1">
                  <label className="flex items-center gap-2">
                    <input
                      type="checkbox"
                      checked={!without.has(w.name)}
                      onChange={(e) => want(w.name, e.target.checked)}
                    />
                    {w.name}
                  </label>
                </td>
                <td>
                  {without.has(w.name) ? (
                    <span className="text-soft">{say.notWanted}</span>
                  ) : w.by ? (
                    rowName(w.by)
                  ) : (
                    <span className="text-accent">{say.leftOut(w.why)}</span>
                  )}
                </td>
              </tr>
            ))}
            {extra.map((r) => (
              <tr key={r.id} className="odd:bg-band" data-extra={r.id}>
                <td className="py-0.5 pl-1 text-soft">{r.for}</td>
                <td>{rowName(r.id)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <form
        className="mt-2 flex items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          const text = word.trim();
          if (text && !data?.wants.some((w) => w.name === text)) setWords([...words, text]);
          setWord("");
        }}
      >
        <input
          className="field w-56"
          aria-label={say.alsoWanted}
          placeholder={say.alsoHarpsichordColLegnoGirls}
          value={word}
          onChange={(e) => setWord(e.target.value)}
        />
        <button type="submit" className="button" disabled={word.trim() === ""}>
          {say.add}
        </button>
        {words.some((w) => data && !data.wants.some((x) => x.name === w)) && (
          <span className="text-soft">
            {say.nobodyPlays(words.filter((w) => !data?.wants.some((x) => x.name === w)).join(", "))}
          </span>
        )}
      </form>
      <div className="mt-3 flex items-center gap-2">
        <input
          className="field w-44"
          aria-label={say.nameOfTheSmallSet}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <button type="button" className="link h-6" disabled={idle} onClick={() => select(ids, ids[0] ?? null)}>
          {say.selectThem}
        </button>
        <button
          type="button"
          className="button ml-auto"
          disabled={idle || name.trim() === ""}
          onClick={() => void template()}
        >
          {say.makeATemplate}
        </button>
        <button type="button" className="button" disabled={idle || name.trim() === ""} onClick={() => void keep()}>
          {say.saveAsACall}
        </button>
        <button type="button" className="button button-main" disabled={idle} onClick={() => void bring()}>
          {say.callIt}
        </button>
      </div>
    </Floating>
  );
}
