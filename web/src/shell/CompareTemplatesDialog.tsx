import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { compared, type Difference, type Other, takeAcross, versions } from "../model/history";
import { computed } from "../model/queries";
import { get, useApp } from "../model/store";
import { plural } from "../model/template";
import { Floating } from "./Floating";

const nouns: Record<Difference["noun"], string> = {
  settings: "Settings",
  fold: "Folds",
  "return-set": "Return sets",
  section: "Sections",
  row: "Rows",
  bus: "Buses",
  rule: "Stem rules",
  machine: "Machines",
  call: "Calls",
  sightline: "Sightlines",
  library: "Libraries",
  player: "Players",
  patch: "Patches",
  articulation: "Articulations",
  casting: "Casting lists",
};

const keyOf = (d: Difference, field = "") => `${d.noun} ${d.id} ${field}`;

/** What of the differences shows. */
const lenses = {
  all: ["everything", () => true],
  rows: ["instruments", (d: Difference) => d.noun === "row"],
  routes: ["routes", (d: Difference) => d.fields.some((f) => f.name === "routes")],
  seats: ["seats", (d: Difference) => d.fields.some((f) => f.name === "seat")],
  stems: ["stems", (d: Difference) => d.noun === "bus" && d.where.endsWith(" stem")],
} as const;

/** How many differences of one noun are listed. */
const shown = 300;

/** CompareTemplatesDialog puts the open template beside an earlier version, or
 * beside another template, and takes differences across. */
export function CompareTemplatesDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [other, setOther] = useState<Other>(() => get().comparing ?? { template: "", revision: null });
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const { data: all } = useQuery(computed.templates(sheet.id, sheet.revision));
  const { data: named } = useQuery(versions(sheet.id));
  const { data, error } = useQuery(compared(other, sheet.revision));
  const [lens, setLens] = useState<keyof typeof lenses>("all");
  const every = other.template ? (data?.differences ?? []) : [];
  const differences = every.filter(lenses[lens][1]);
  const pick = (list: Difference[], on: boolean) => {
    const next = new Set(picked);
    for (const d of list) {
      on ? next.add(keyOf(d)) : next.delete(keyOf(d));
      for (const f of d.fields) next.delete(keyOf(d, f.name));
    }
    setPicked(next);
  };
  const pickField = (d: Difference, field: string, on: boolean) => {
    const next = new Set(picked);
    next.delete(keyOf(d)); // one field only, then
    on ? next.add(keyOf(d, field)) : next.delete(keyOf(d, field));
    setPicked(next);
  };
  const take = async () => {
    const list = every.flatMap((d) =>
      picked.has(keyOf(d))
        ? [{ noun: d.noun, id: d.id }]
        : d.fields.filter((f) => picked.has(keyOf(d, f.name))).map((f) => ({ noun: d.noun, id: d.id, field: f.name })),
    );
    if (await takeAcross(other, list)) setPicked(new Set());
  };
  const chosen = picked.size;
  const count = (how: string) => differences.filter((d) => d.how === how).length;
  return (
    <Floating title={`Compare ${sheet.name}`} open onOpenChange={close} className="w-[940px]">
      <div className="flex items-center gap-2">
        with
        <select
          className="field w-64"
          aria-label="With"
          value={other.template ? `${other.template} ${other.revision ?? ""}` : ""}
          onChange={(e) => {
            const [template = "", revision = ""] = e.target.value.split(" ");
            setOther({ template, revision: revision === "" ? null : Number(revision) });
            setPicked(new Set());
          }}
        >
          <option value="">choose…</option>
          {other.template === sheet.id && !named?.some((v) => v.revision === other.revision) && (
            <option value={`${sheet.id} ${other.revision}`}>itself at revision {other.revision}</option>
          )}
          {named?.map((v) => (
            <option key={v.id} value={`${sheet.id} ${v.revision}`}>
              itself, {v.name}
            </option>
          ))}
          {all
            ?.filter((t) => t.id !== sheet.id)
            .map((t) => (
              <option key={t.id} value={`${t.id} `}>
                {t.name}
              </option>
            ))}
        </select>
        show
        <select
          className="field w-32"
          aria-label="Show"
          value={lens}
          onChange={(e) => setLens(e.target.value as keyof typeof lenses)}
        >
          {Object.entries(lenses).map(([key, [text, fits]]) => (
            <option key={key} value={key}>
              {text} ({every.filter(fits).length})
            </option>
          ))}
        </select>
        {other.template && data && (
          <span className="ml-2 text-soft" data-part="difference-count">
            {every.length === 0
              ? "They are alike."
              : `${count("added")} only there, ${count("removed")} only here, ${count("changed")} changed`}
          </span>
        )}
      </div>
      <div
        className="mt-3 min-h-[320px] flex-1 overflow-y-auto border-line border-y"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
        tabIndex={0}
        role="region"
        aria-label="Differences"
      >
        {error && <p className="py-2 text-accent">! {error.message}</p>}
        {differences.some((d) => d.fields.length > 0) && (
          <div className="grid grid-cols-[150px_1fr_1fr] gap-2 py-1 pl-12 text-[12px] text-soft" aria-hidden="true">
            <span />
            <span>here</span>
            <span>there</span>
          </div>
        )}
        {Object.entries(nouns).map(([noun, title]) => {
          const list = differences.filter((d) => d.noun === noun);
          if (list.length === 0) return null;
          const places = [...new Set(list.map((d) => d.where))];
          return (
            <section key={noun} aria-label={title}>
              <h3 className="sticky top-0 flex items-baseline gap-2 bg-paper py-1 text-[15px]">
                {title} <span className="font-normal font-sans text-[12px] text-soft">{list.length}</span>
              </h3>
              {places.map((where) => {
                const here = list.filter((d) => d.where === where);
                return (
                  <div key={where}>
                    {where && (
                      <Choice
                        name={where}
                        on={here.every((d) => picked.has(keyOf(d)))}
                        set={(on) => pick(here, on)}
                        className="text-soft"
                      />
                    )}
                    {here.slice(0, shown).map((d) => (
                      <Line key={keyOf(d)} d={d} picked={picked} set={(on) => pick([d], on)} setField={pickField} />
                    ))}
                    {here.length > shown && <p className="pl-8 text-soft">and {here.length - shown} more</p>}
                  </div>
                );
              })}
            </section>
          );
        })}
      </div>
      <div className="mt-3 flex items-center gap-3">
        <span className="text-soft">
          What a thing needs that is not here comes with it. One undo takes it all back.
        </span>
        <button
          type="button"
          className="button button-main ml-auto"
          disabled={chosen === 0}
          onClick={() => void take()}
        >
          {chosen ? `Take ${plural(chosen, "difference")} from there` : "Take from there"}
        </button>
      </div>
    </Floating>
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
const says = { added: "only there", removed: "only here: taking it removes it", changed: "changed" } as const;

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
                aria-label={`Only the ${f.name} of ${d.name}`}
                checked={whole || picked.has(keyOf(d, f.name))}
                onChange={(e) => setField(d, f.name, e.target.checked)}
              />
              {f.name}
            </label>
          ) : (
            <span className="pl-[21px] text-soft">{f.name}</span>
          )}
          <span className="truncate" title={f.here}>
            {f.here || "nothing"}
          </span>
          <span className="truncate" title={f.there}>
            → {f.there || "nothing"}
          </span>
        </div>
      ))}
    </div>
  );
}
