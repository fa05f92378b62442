import { X } from "lucide-react";
import { useState } from "react";
import type { Schemas } from "../../model/api";
import { seen, settle } from "../../model/changing";
import { setSection } from "../../model/delivering";
import { randomId } from "../../model/sending";
import { useApp } from "../../model/store";
import { db, mostNested, pathOf, type Sheet, things } from "../../model/template";
import { EffectList } from "../../parts/EffectList";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.returnsDialog;

type ReturnSet = Schemas["ReturnSet"];
type Effect = ReturnSet["effects"][number];
type Depth = "near" | "middle" | "far";

const depths: Depth[] = ["near", "middle", "far"];
const amountKey = { near: "nearDb", middle: "middleDb", far: "farDb" } as const;
const fresh = (prefix: string) => `${prefix}-${randomId()}`;

const hall = (): Effect => ({
  id: fresh("effect"),
  name: say.hall,
  process: say.hall24S,
  runs: [{ kind: "hall", set: { decayS: 2.4 } }],
  nearDb: -16,
  middleDb: -14,
  farDb: -12,
});
const delay = (): Effect => ({
  id: fresh("effect"),
  name: say.delay,
  process: say.delay420Ms,
  runs: [{ kind: "delay" }],
  delay: true,
  middleDb: -20,
});

/** ReturnsDialog edits the return sets, and what each section sends. */
export function ReturnsDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [draft, setDraft] = useState<readonly ReturnSet[]>(sheet.returnSets);
  const [base, setBase] = useState(seen);
  const put = (n: number, set: ReturnSet) => setDraft(draft.map((s, k) => (k === n ? set : s)));
  const changed = draft !== sheet.returnSets;
  const keep = async () => {
    if (await settle({ kind: "set-returns", sets: [...draft] }, base)) setBase(seen());
  };
  return (
    <Floating title={say.returns} open onOpenChange={close} className="w-[900px]">
      <p className="mb-2 text-soft">{say.aStemWithAReturn}</p>
      <div className="min-h-0 flex-1 overflow-y-auto">
        {draft.map((s, n) => (
          <fieldset key={s.id} className="mb-2 border border-line p-2" data-return-set={s.name}>
            <div className="mb-1 flex items-center gap-2">
              <input
                className="field w-48 font-semibold"
                aria-label={say.nameOfTheReturnSet}
                value={s.name}
                onChange={(e) => put(n, { ...s, name: e.target.value })}
              />
              <button
                type="button"
                className="button"
                onClick={() => put(n, { ...s, effects: [...s.effects, hall()] })}
              >
                {say.addAHall}
              </button>
              <button
                type="button"
                className="button"
                onClick={() => put(n, { ...s, effects: [...s.effects, delay()] })}
              >
                {say.addADelay}
              </button>
              <button
                type="button"
                className="link ml-auto text-soft"
                onClick={() => setDraft(draft.filter((_, k) => k !== n))}
              >
                {say.removeTheSet}
              </button>
            </div>
            <Effects set={s} put={(x) => put(n, x)} />
          </fieldset>
        ))}
        <div className="mb-3 flex gap-2">
          <button
            type="button"
            className="button"
            onClick={() =>
              setDraft([...draft, { id: fresh("returns"), name: say.hallDraft(draft.length + 1), effects: [hall()] }])
            }
          >
            {say.addAReturnSet}
          </button>
          <button type="button" className="button button-main ml-auto" disabled={!changed} onClick={() => void keep()}>
            {say.saveTheReturnSets}
          </button>
        </div>
        {sheet.returnSets.length > 0 && !changed && <Sections sheet={sheet} />}
      </div>
    </Floating>
  );
}

function Effects({ set, put }: { set: ReturnSet; put: (s: ReturnSet) => void }) {
  const one = (n: number, e: Effect) => put({ ...set, effects: set.effects.map((x, k) => (k === n ? e : x)) });
  return (
    <table className="w-full">
      <thead>
        <tr className="text-left text-soft">
          <th className="w-36 font-normal">{say.effect}</th>
          <th className="font-normal">{say.whatRunsOnIt}</th>
          <th className="w-24 font-normal">{say.taken}</th>
          {depths.map((d) => (
            <th key={d} className="w-24 font-normal">
              {say.fromDb(d)}
            </th>
          ))}
          <th className="w-8" aria-label={say.remove} />
        </tr>
      </thead>
      <tbody>
        {set.effects.map((e, n) => (
          <tr key={e.id} className="align-top">
            <td>
              <input
                className="field w-32"
                aria-label={say.effect}
                value={e.name}
                onChange={(x) => one(n, { ...e, name: x.target.value })}
              />
            </td>
            <td>
              <input
                className="field w-full"
                aria-label={say.whatRunsOnIt}
                value={e.process}
                onChange={(x) => one(n, { ...e, process: x.target.value })}
              />
              <EffectList
                label={say.effectsOf(e.name)}
                runs={e.runs ?? []}
                keep={(runs) => {
                  const { runs: _, ...bare } = e;
                  one(n, runs.length > 0 ? { ...bare, runs } : bare);
                }}
              />
            </td>
            <td className="px-2 text-soft">{e.delay ? say.afterFader : say.beforeFader}</td>
            {depths.map((d) => (
              <td key={d}>
                <Amount
                  label={say.fromDbName(e.name, d)}
                  value={e[amountKey[d]]}
                  keep={(db) => {
                    const next = { ...e };
                    if (db === undefined) delete next[amountKey[d]];
                    else next[amountKey[d]] = db;
                    one(n, next);
                  }}
                />
              </td>
            ))}
            <td>
              <button
                type="button"
                aria-label={say.removeName(e.name)}
                className="grid size-6 place-items-center rounded-[3px] hover:bg-band"
                onClick={() => put({ ...set, effects: set.effects.filter((_, k) => k !== n) })}
              >
                <X size={13} />
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Amount edits a level in dB; nothing sends nothing. */
function Amount({
  label,
  value,
  keep,
}: {
  label: string;
  value: number | undefined;
  keep: (db: number | undefined) => void;
}) {
  const [text, setText] = useState<string | null>(null);
  return (
    <input
      className="field w-20 text-right"
      aria-label={label}
      placeholder={say.off}
      value={text ?? (value === undefined ? "" : db(value))}
      onFocus={() => setText(value === undefined ? "" : String(value))}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => {
        const x = Number((text ?? "").replace("−", "-").replace(",", "."));
        if (text !== null && text.trim() === "" && value !== undefined) keep(undefined);
        else if (text?.trim() && Number.isFinite(x) && x !== value) keep(x);
        setText(null);
      }}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
    />
  );
}

/** Sections sets how far back each section sits, and its own amounts. */
function Sections({ sheet }: { sheet: Sheet }) {
  const effects = sheet.returnSets.flatMap((s) => s.effects.map((e) => ({ ...e, set: s.name })));
  const depthOf = (id: string): Depth => {
    for (let at: string | undefined = id, n = 0; at && n < mostNested; n++) {
      const s: Schemas["Section"] | undefined = sheet.sections.byId.get(at);
      if (s?.depth) return s.depth;
      at = s?.parent;
    }
    return "middle";
  };
  return (
    <table className="w-full" aria-label={say.whatSectionsSend}>
      <thead>
        <tr className="text-left text-soft">
          <th className="font-normal">{say.section}</th>
          <th className="w-36 font-normal">{say.sits}</th>
          {effects.map((e) => (
            <th key={e.id} className="w-28 font-normal" title={say.of(e.set)}>
              {e.name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {things(sheet.sections).map((s) => (
          <tr key={s.id} className="odd:bg-band" data-sends={s.name}>
            <td className="px-1">{pathOf(sheet, s.id)}</td>
            <td>
              <select
                className="field w-32"
                aria-label={say.sitsName(s.name)}
                value={s.depth ?? ""}
                onChange={(e) => {
                  const { depth: _, ...rest } = s;
                  void setSection(e.target.value ? { ...rest, depth: e.target.value as Depth } : rest);
                }}
              >
                <option value="">
                  {s.parent ? say.as(sheet.sections.byId.get(s.parent)?.name ?? "") : say.middle}
                </option>
                {depths.map((d) => (
                  <option key={d} value={d}>
                    {d}
                  </option>
                ))}
              </select>
            </td>
            {effects.map((e) => {
              const own = s.sends?.find((x) => x.effect === e.id);
              const usual = e[amountKey[depthOf(s.id)]];
              return (
                <td key={e.id}>
                  <input
                    key={`${own?.gainDb}${own?.off}`}
                    className="field w-24 text-right"
                    aria-label={say.toDb(s.name, e.name)}
                    title={say.emptyByItsDepthOff}
                    placeholder={usual === undefined ? say.off : db(usual)}
                    defaultValue={own ? (own.off ? say.off : db(own.gainDb)) : ""}
                    onBlur={(x) => {
                      const text = x.target.value.trim().replace("−", "-").replace(",", ".").replace(/ ?dB$/, "");
                      const rest = (s.sends ?? []).filter((o) => o.effect !== e.id);
                      const tap = e.delay ? "post" : "pre";
                      const gainDb = Number(text);
                      const before = own ? (own.off ? say.off : String(own.gainDb)) : "";
                      if (text === before) return;
                      if (text === "") void setSection({ ...s, sends: rest });
                      else if (text === "off")
                        void setSection({ ...s, sends: [...rest, { effect: e.id, off: true, gainDb: 0, tap }] });
                      else if (Number.isFinite(gainDb))
                        void setSection({ ...s, sends: [...rest, { effect: e.id, gainDb, tap }] });
                    }}
                    onKeyDown={(x) => x.key === "Enter" && x.currentTarget.blur()}
                  />
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
