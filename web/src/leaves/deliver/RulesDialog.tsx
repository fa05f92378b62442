import { useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useMemo, useRef, useState } from "react";
import { type Id, Refusal, type Schemas } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { change, seen } from "../../model/changing";
import { obey, wire } from "../../model/delivering";
import { computed } from "../../model/queries";
import { randomId } from "../../model/sending";
import { select, show, useApp } from "../../model/store";
import { pathOf, rowKinds, type Sheet, things } from "../../model/template";
import { Small } from "../../parts/Small";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.rulesDialog;

type Rule = Schemas["StemRule"];
type Verdict = Schemas["Verdict"];

/** RulesDialog edits the ordered stem rules, and shows what they would do to
 * every instrument before they do it. */
export function RulesDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [draft, setDraft] = useState<readonly Rule[]>(sheet.rules);
  const [base] = useState(seen);
  const [only, setOnly] = useState<"moves" | "exceptions" | "all">("moves");
  const { data, error } = useQuery(computed.verdicts(sheet.id, sheet.revision, draft));
  const meets = useMemo(() => {
    const count = draft.map(() => 0);
    for (const v of data ?? []) if (v.rule >= 0) count[v.rule] = (count[v.rule] ?? 0) + 1;
    return count;
  }, [data, draft]);
  const rows = useMemo(
    () => (data ?? []).filter((v) => only === "all" || (only === "moves" ? v.moves : v.exception)),
    [data, only],
  );
  const moving = (data ?? []).filter((v) => v.moves).length;
  const lost = (data ?? []).filter((v) => v.rule < 0).length;
  const exceptions = (data ?? []).filter((v) => v.exception).length;
  const put = (n: number, rule: Rule) => setDraft(draft.map((r, k) => (k === n ? rule : r)));
  const shift = (n: number, by: number) => {
    const next = [...draft];
    const [r] = next.splice(n, 1);
    next.splice(n + by, 0, r!);
    setDraft(next);
  };
  const first = things(sheet.buses).find(
    (b) => busKinds[b.kind].stem && b.fold === sheet.folds.order[0] && b.carries !== "wet",
  );
  const changed = draft !== sheet.rules;
  const keep = () =>
    changed ? change({ kind: "set-rules", rules: [...draft] }, base) : Promise.resolve({ revision: 0 });
  return (
    <Floating title={say.stemRules} open onOpenChange={close} className="w-[1120px]">
      <p className="mb-2 text-soft">{say.theFirstRuleThatMatches}</p>
      <ol className="min-h-24 flex-1 overflow-y-auto" aria-label={say.rules}>
        {draft.map((r, n) => (
          <li key={r.id} className="flex items-center gap-1 py-0.5 odd:bg-band" data-rule={n + 1}>
            <span className="w-6 text-right text-soft">{n + 1}</span>
            <RuleFields sheet={sheet} rule={r} put={(x) => put(n, x)} />
            <span className="w-14 shrink-0 text-right text-soft" title={say.instrumentsThatThisRuleMatches}>
              {say.rows(meets[n] ?? 0)}
            </span>
            <Small label={say.ruleUp(n + 1)} off={n === 0} run={() => shift(n, -1)}>
              <ArrowUp size={13} />
            </Small>
            <Small label={say.ruleDown(n + 1)} off={n === draft.length - 1} run={() => shift(n, 1)}>
              <ArrowDown size={13} />
            </Small>
            <Small label={say.removeRule(n + 1)} run={() => setDraft(draft.filter((_, k) => k !== n))}>
              <X size={13} />
            </Small>
          </li>
        ))}
      </ol>
      <div className="mt-2 flex items-center gap-2">
        <button
          type="button"
          className="button"
          disabled={!first}
          onClick={() => setDraft([...draft, { id: `rule-${randomId()}`, stem: first!.id }])}
        >
          {say.addARule}
        </button>
        {!first && <span className="text-soft">{say.makeAStemFirst}</span>}
        {error instanceof Refusal && <span className="text-accent">{error.problem.detail}</span>}
        <span className="ml-auto text-soft" data-part="verdict-sums">
          {say.instrumentsWouldMoveMatch(moving, lost, exceptions)}
        </span>
        <select className="field" aria-label={say.show} value={only} onChange={(e) => setOnly(e.target.value as "all")}>
          <option value="moves">{say.thoseThatMove}</option>
          <option value="exceptions">{say.exceptions}</option>
          <option value="all">{say.allInstruments}</option>
        </select>
      </div>
      <Preview sheet={sheet} rows={rows} close={close} />
      <div className="mt-3 flex justify-end gap-2">
        <button type="button" className="button" disabled={!changed} onClick={() => void keep()}>
          {say.saveTheRules}
        </button>
        <button
          type="button"
          className="button button-main"
          disabled={moving === 0}
          onClick={() => void keep().then((done) => done && wire("rules"))}
        >
          {say.applyToInstruments(moving)}
        </button>
      </div>
    </Floating>
  );
}

function RuleFields({ sheet, rule, put }: { sheet: Sheet; rule: Rule; put: (r: Rule) => void }) {
  const set = (key: keyof Rule, value: string) => {
    const next = { ...rule, [key]: value };
    if (value === "") delete next[key as "role"];
    put(next);
  };
  const pick = (key: keyof Rule, label: string, any: string, choices: [string, string][], wide: string) => (
    <select
      className={`field px-1 ${wide} ${rule[key] ? "" : "text-soft"}`}
      aria-label={label}
      value={rule[key] ?? ""}
      onChange={(e) => set(key, e.target.value)}
    >
      <option value="">{any}</option>
      {choices.map(([value, text]) => (
        <option key={value} value={value}>
          {text}
        </option>
      ))}
    </select>
  );
  const stems = things(sheet.buses).filter(
    (b) => busKinds[b.kind].stem && b.fold === sheet.folds.order[0] && b.carries !== "wet",
  );
  return (
    <>
      {pick(
        "section",
        say.within,
        say.anySection,
        things(sheet.sections).map((s) => [s.id, pathOf(sheet, s.id)]),
        "min-w-0 flex-1",
      )}
      {pick("register", say.register, say.anyRegister, Object.entries(say.registers), "w-[102px]")}
      {pick("family", say.articulationFamily, say.anyPlaying, Object.entries(say.families), "w-[104px]")}
      {pick(
        "library",
        say.library,
        say.anyLibrary,
        things(sheet.libraries).map((l) => [l.id, l.name]),
        "w-[104px]",
      )}
      {pick(
        "kind",
        say.kind,
        say.anyKind,
        [
          ["sampled", rowKinds.sampled],
          ["input", rowKinds.input],
        ],
        "w-[82px]",
      )}
      <input
        className="field w-[66px] px-1"
        aria-label={say.role}
        placeholder={say.anyRole}
        value={rule.role ?? ""}
        onChange={(e) => set("role", e.target.value)}
      />
      <input
        className="field w-[80px] px-1"
        aria-label={say.name}
        placeholder={say.anyName}
        title={say.aPartOfTheName}
        value={rule.name ?? ""}
        onChange={(e) => set("name", e.target.value)}
      />
      <span className="text-soft">→</span>
      <select
        className="field w-[150px] px-1 font-semibold"
        aria-label={say.stem}
        value={rule.stem}
        onChange={(e) => put({ ...rule, stem: e.target.value })}
      >
        {stems.map((b) => (
          <option key={b.id} value={b.id}>
            {b.name}
          </option>
        ))}
      </select>
    </>
  );
}

interface PreviewProps {
  sheet: Sheet;
  rows: Verdict[];
  close: () => void;
}

function Preview({ sheet, rows, close }: PreviewProps) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 24,
    overscan: 10,
  });
  const name = (id: Id | undefined) => (id ? (sheet.buses.byId.get(id)?.name ?? "?") : "");
  return (
    <div
      ref={scroller}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling list is reached by keyboard
      tabIndex={0}
      role="list"
      aria-label={say.whatTheRulesDo}
      className="mt-2 h-[200px] shrink-0 overflow-y-auto border-line border-y"
      data-part="verdicts"
    >
      {rows.length === 0 && <p className="p-3 text-soft">{say.nothingOfThatKind}</p>}
      <div className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((v) => {
          const x = rows[v.index]!;
          const i = sheet.instruments.byId.get(x.id);
          return (
            <div
              key={v.key}
              role="listitem"
              className="absolute inset-x-0 grid h-6 grid-cols-[200px_150px_20px_170px_1fr_auto] items-center gap-2 px-2"
              style={{ top: v.start }}
              data-verdict={i?.name}
            >
              <button
                type="button"
                className="truncate text-left"
                onClick={() => {
                  select([x.id], x.id);
                  close();
                  show("orchestra");
                }}
              >
                {i?.name}
              </button>
              <span className="truncate text-soft">{x.now.map(name).join(", ") || say.noStem}</span>
              <span className="text-soft">→</span>
              <span className={`truncate ${x.moves ? "font-semibold" : ""}`}>
                {x.exception ? say.staysSetByHand : name(x.stem) || say.noRuleMatchesIt}
              </span>
              <span className="truncate text-soft" title={x.why}>
                {x.rule >= 0 ? say.rule(x.rule + 1, x.why) : ""}
                {x.also.length > 0 && say.playsToo(x.also.join(say.and))}
              </span>
              {x.exception ? (
                <button type="button" className="link" onClick={() => void obey([x.id])}>
                  {say.followTheRules}
                </button>
              ) : (
                <span />
              )}
            </div>
          );
        })}
      </div>
    </div>
  );
}
