import { useState } from "react";
import type { Difference } from "../model/history";
import { words } from "./words";

const say = words.differences;

const nouns: Record<Difference["noun"], string> = {
  settings: say.settings,
  fold: say.folds,
  "return-set": say.returnSets,
  section: say.sections,
  row: say.rows,
  bus: say.buses,
  rule: say.stemRules,
  machine: say.machines,
  call: say.calls,
  sightline: say.sightlines,
  library: say.libraries,
  player: say.players,
  patch: say.patches,
  articulation: say.articulations,
  casting: say.castingLists,
};

const keyOf = (d: Difference, field = "") => `${d.noun} ${d.id} ${field}`;

/** How many differences of one noun are listed. */
const shown = 300;

/** usePicks keeps which differences, or fields of them, are to be taken. */
export function usePicks() {
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  return {
    picked,
    clear: () => setPicked(new Set()),
    pick: (list: Difference[], on: boolean) => {
      const next = new Set(picked);
      for (const d of list) {
        on ? next.add(keyOf(d)) : next.delete(keyOf(d));
        for (const f of d.fields) next.delete(keyOf(d, f.name));
      }
      setPicked(next);
    },
    pickField: (d: Difference, field: string, on: boolean) => {
      const next = new Set(picked);
      next.delete(keyOf(d)); // one field only, then
      on ? next.add(keyOf(d, field)) : next.delete(keyOf(d, field));
      setPicked(next);
    },
    /** of are those of a list that are picked, as they are asked for. */
    of: (list: Difference[]) =>
      list.flatMap((d) =>
        picked.has(keyOf(d))
          ? [{ noun: d.noun, id: d.id }]
          : d.fields
              .filter((f) => picked.has(keyOf(d, f.name)))
              .map((f) => ({ noun: d.noun, id: d.id, field: f.name })),
      ),
  };
}

export type Picks = ReturnType<typeof usePicks>;

/** Differences lists what differs, noun by noun and place by place, to be picked. */
export function Differences({
  list,
  picks,
  here,
  there,
}: {
  list: Difference[];
  picks: Picks;
  here: string;
  there: string;
}) {
  const { picked, pick, pickField } = picks;
  const differences = list;
  return (
    <>
      {differences.some((d) => d.fields.length > 0) && (
        <div className="grid grid-cols-[150px_1fr_1fr] gap-2 py-1 pl-12 text-[12px] text-soft" aria-hidden="true">
          <span />
          <span>{here}</span>
          <span>{there}</span>
        </div>
      )}
      {Object.entries(nouns).map(([noun, title]) => {
        const some = differences.filter((d) => d.noun === noun);
        if (some.length === 0) return null;
        const places = [...new Set(some.map((d) => d.where))];
        return (
          <section key={noun} aria-label={title}>
            <h3 className="sticky top-0 flex items-baseline gap-2 bg-paper py-1 text-[15px]">
              {title} <span className="font-normal font-sans text-[12px] text-soft">{some.length}</span>
            </h3>
            {places.map((where) => {
              const beside = some.filter((d) => d.where === where);
              return (
                <div key={where}>
                  {where && (
                    <Choice
                      name={where}
                      on={beside.every((d) => picked.has(keyOf(d)))}
                      set={(on) => pick(beside, on)}
                      className="text-soft"
                    />
                  )}
                  {beside.slice(0, shown).map((d) => (
                    <Line key={keyOf(d)} d={d} picked={picked} set={(on) => pick([d], on)} setField={pickField} />
                  ))}
                  {beside.length > shown && <p className="pl-8 text-soft">{say.andMore(beside.length - shown)}</p>}
                </div>
              );
            })}
          </section>
        );
      })}
    </>
  );
}

function Choice(props: { name: string; on: boolean; set: (on: boolean) => void; className?: string }) {
  return (
    <label className={`flex min-h-[24px] items-center gap-2 pl-1 ${props.className ?? ""}`}>
      <input type="checkbox" checked={props.on} onChange={(e) => props.set(e.target.checked)} />
      {props.name}
    </label>
  );
}

const signs = { added: "+", removed: "−", changed: "≠" } as const;
const says = { added: say.onlyThere, removed: say.onlyHereTakingItRemoves, changed: say.changed } as const;

interface LineProps {
  d: Difference;
  picked: ReadonlySet<string>;
  set: (on: boolean) => void;
  setField: (d: Difference, field: string, on: boolean) => void;
}

/** Line is a difference; of a row that both have, each field can be taken alone. */
function Line({ d, picked, set, setField }: LineProps) {
  const whole = picked.has(keyOf(d));
  return (
    <div className="pl-5 odd:bg-band" data-difference={d.name} data-how={d.how}>
      <label className="flex min-h-[24px] items-center gap-2">
        <input type="checkbox" checked={whole} onChange={(e) => set(e.target.checked)} />
        <span className="w-3 text-center text-soft" role="img" aria-label={says[d.how]} title={says[d.how]}>
          {signs[d.how]}
        </span>
        <span className={d.how === "removed" ? "line-through" : ""}>{d.name}</span>
      </label>
      {d.fields.map((f) => (
        <div key={f.name} className="grid grid-cols-[150px_1fr_1fr] items-center gap-2 pb-0.5 pl-7 text-[12px]">
          {d.noun === "row" ? (
            <label className="flex min-h-[24px] items-center gap-2 text-soft">
              <input
                type="checkbox"
                aria-label={say.onlyTheOf(f.name, d.name)}
                checked={whole || picked.has(keyOf(d, f.name))}
                onChange={(e) => setField(d, f.name, e.target.checked)}
              />
              {f.name}
            </label>
          ) : (
            <span className="pl-[21px] text-soft">{f.name}</span>
          )}
          <span className="truncate" title={f.here}>
            {f.here || say.nothing}
          </span>
          <span className="truncate" title={f.there}>
            → {f.there || say.nothing}
          </span>
        </div>
      ))}
    </div>
  );
}
