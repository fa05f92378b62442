import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Bus } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { seen } from "../../model/changing";
import { addWet, nest, setBus } from "../../model/delivering";
import { computed } from "../../model/queries";
import { select, set, show, useApp } from "../../model/store";
import { isPlayed, things } from "../../model/template";
import { parentOf } from "./tree";
import { words } from "./words";

const say = words.stemSheet;

/** Lacking tells which wet sound a dry stem leaves out of its fold, and proposes the
 * stem that would carry it. */
function Lacking({ stem }: { stem: Bus }) {
  const sheet = useApp((s) => s.sheet)!;
  const { data } = useQuery(computed.routing(sheet.id, sheet.revision, "", [], 600, null));
  const sum = data?.sums.find((s) => s.fold === stem.fold);
  const lacks = sum?.without.find((w) => w.stem === stem.id);
  if (!sum || !lacks) return null;
  return (
    <p className="col-start-2" data-part="lacking">
      {say.theWetSound(lacks.rows, sum.name, lacks.home ? say.carriesIt(lacks.home) : "")}{" "}
      <button type="button" className="link" onClick={() => void addWet(stem.id)}>
        {say.addAWetStem}
      </button>
    </p>
  );
}

/** StemSheet says how the chosen stem is delivered. */
export function StemSheet() {
  const sheet = useApp((s) => s.sheet)!;
  const stem = useApp((s) => (s.bus ? s.sheet?.buses.byId.get(s.bus) : undefined));
  const box =
    "shrink-0 border-line border-t px-3 py-2 @min-[860px]:w-[290px] @min-[860px]:border-t-0 @min-[860px]:border-l overflow-y-auto max-h-[46%] @min-[860px]:max-h-none";
  if (!stem || !busKinds[stem.kind].stem) return null;
  const parent = parentOf(sheet, stem);
  const next = sheet.folds.order[sheet.folds.order.indexOf(stem.fold ?? "") + 1];
  const coarser = things(sheet.buses).filter((b) => busKinds[b.kind].stem && b.fold === next);
  const rows = [...sheet.facts.values()]
    .filter((f) => f.stems.includes(stem.id) && isPlayed(sheet.instruments.byId.get(f.id)))
    .map((f) => f.id);
  const exceptions = rows.filter((id) => sheet.instruments.byId.get(id)?.stemByHand).length;
  const put = (more: Partial<Bus>, drop: (keyof Bus)[] = [], base?: number) => {
    const next: Bus = { ...stem, ...more };
    for (const k of drop) delete next[k];
    void setBus(next, base);
  };
  return (
    <section className={box} aria-label={say.howIsDelivered(stem.name)} data-part="stem-sheet">
      <h3 className="mb-2 truncate text-[15px]">{stem.name}</h3>
      <div className="grid grid-cols-[84px_1fr] items-center gap-x-2 gap-y-1.5">
        <Text key={`${stem.id}n`} label={say.label} value={stem.name} keep={(name, base) => put({ name }, [], base)} />
        <Text
          key={`${stem.id}f`}
          label={say.inFileNames}
          value={stem.file ?? ""}
          placeholder={stem.name}
          keep={(file, base) => put(file ? { file } : {}, file ? [] : ["file"], base)}
        />
        <Text
          key={`${stem.id}#`}
          label={say.number}
          value={stem.number ? String(stem.number) : ""}
          placeholder={say.none}
          keep={(text, base) => {
            const number = Math.round(Number(text));
            put(number ? { number } : {}, number ? [] : ["number"], base);
          }}
        />
        <label htmlFor="stem-parent">{say.belongsTo}</label>
        <select
          id="stem-parent"
          className="field"
          value={parent?.id ?? ""}
          onChange={(e) => void nest([stem.id], e.target.value || undefined)}
        >
          <option value="">{say.onlyTheMix}</option>
          {coarser.map((b) => (
            <option key={b.id} value={b.id}>
              {b.name}
            </option>
          ))}
        </select>
        <label htmlFor="stem-carries">{say.carries}</label>
        <select
          id="stem-carries"
          className="field"
          value={stem.carries ?? ""}
          onChange={(e) =>
            put(e.target.value ? { carries: e.target.value as "dry" } : {}, e.target.value ? [] : ["carries"])
          }
        >
          <option value="">{say.dryAndWetTogether}</option>
          <option value="dry">{say.dryOnly}</option>
          <option value="wet">{say.theReturnsOfDryStems}</option>
        </select>
        {stem.carries === "dry" && <Lacking stem={stem} />}
        <label htmlFor="stem-returns">{say.returnSet}</label>
        <select
          id="stem-returns"
          className="field"
          value={stem.returns ?? ""}
          onChange={(e) => put(e.target.value ? { returns: e.target.value } : {}, e.target.value ? [] : ["returns"])}
        >
          <option value="">{parent ? say.as(parent.name) : say.none}</option>
          {sheet.returnSets.map((r) => (
            <option key={r.id} value={r.id}>
              {r.name}
            </option>
          ))}
        </select>
        <label htmlFor="stem-mono">{say.channels}</label>
        <select
          id="stem-mono"
          className="field"
          value={stem.mono ? "mono" : "stereo"}
          onChange={(e) =>
            put(e.target.value === "mono" ? { mono: true } : {}, e.target.value === "mono" ? [] : ["mono"])
          }
        >
          <option value="stereo">{say.stereo}</option>
          <option value="mono">{say.mono}</option>
        </select>
        <label htmlFor="stem-section">{say.colourOf}</label>
        <select
          id="stem-section"
          className="field"
          value={stem.section ?? ""}
          onChange={(e) => put(e.target.value ? { section: e.target.value } : {}, e.target.value ? [] : ["section"])}
        >
          <option value="">{say.noSection}</option>
          {things(sheet.sections).map((s) => (
            <option key={s.id} value={s.id}>
              {s.name}
            </option>
          ))}
        </select>
      </div>
      <p className="mt-2 text-soft">
        {rows.length > 0 && (
          <button
            type="button"
            className="link"
            onClick={() => {
              select(rows, rows[0] ?? null);
              show("orchestra");
            }}
          >
            {say.selectItsInstruments(rows.length)}
          </button>
        )}
        {exceptions > 0 && say.exceptionsSetByHand(exceptions)}
      </p>
      <button type="button" className="button mt-2" onClick={() => set({ dialog: "remove-bus" })}>
        {say.remove}
      </button>
    </section>
  );
}

interface TextProps {
  label: string;
  value: string;
  placeholder?: string;
  keep: (text: string, base: number) => void;
}

/** Text edits one line: Enter keeps, Escape leaves. */
function Text({ label, value, placeholder, keep }: TextProps) {
  const [text, setText] = useState<string | null>(null);
  const [base, setBase] = useState(0);
  return (
    <>
      <span>{label}</span>
      <input
        className="field min-w-0"
        aria-label={label}
        placeholder={placeholder}
        value={text ?? value}
        onFocus={() => setBase(seen())}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => {
          if (text !== null && text.trim() !== value) keep(text.trim(), base);
          setText(null);
        }}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") {
            setText(null);
            e.stopPropagation();
          }
        }}
      />
    </>
  );
}
