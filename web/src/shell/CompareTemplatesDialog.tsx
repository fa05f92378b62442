import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { compared, type Difference, type Other, takeAcross, versions } from "../model/history";
import { computed } from "../model/queries";
import { get, useApp } from "../model/store";

import { Differences, usePicks } from "../parts/Differences";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.compareTemplatesDialog;

/** What of the differences shows. */
const lenses = {
  all: [say.everything, () => true],
  rows: [say.instruments, (d: Difference) => d.noun === "row"],
  routes: [say.routes, (d: Difference) => d.fields.some((f) => f.name === "routes")],
  seats: [say.seats, (d: Difference) => d.fields.some((f) => f.name === "seat")],
  stems: [say.stems, (d: Difference) => d.noun === "bus" && d.where.endsWith(" stem")],
} as const;

/** CompareTemplatesDialog puts the open template beside an earlier version, or
 * beside another template, and takes differences across. */
export function CompareTemplatesDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [other, setOther] = useState<Other>(() => get().comparing ?? { template: "", revision: null });
  const picks = usePicks();
  const { data: all } = useQuery(computed.templates());
  const { data: named } = useQuery(versions(sheet.id));
  const { data, error } = useQuery(compared(other, sheet.revision));
  const [lens, setLens] = useState<keyof typeof lenses>("all");
  const every = other.template ? (data?.differences ?? []) : [];
  const differences = every.filter(lenses[lens][1]);
  const take = async () => {
    const list = picks.of(every);
    if (await takeAcross(other, list)) picks.clear();
  };
  const chosen = picks.picked.size;
  const count = (how: string) => differences.filter((d) => d.how === how).length;
  return (
    <Floating title={say.compare(sheet.name)} open onOpenChange={close} className="w-[940px]">
      <div className="flex items-center gap-2">
        {say.with}
        <select
          className="field w-64"
          aria-label={say.With}
          value={other.template ? `${other.template} ${other.revision ?? ""}` : ""}
          onChange={(e) => {
            const [template = "", revision = ""] = e.target.value.split(" ");
            setOther({ template, revision: revision === "" ? null : Number(revision) });
            picks.clear();
          }}
        >
          <option value="">{say.choose}</option>
          {other.template === sheet.id && !named?.some((v) => v.revision === other.revision) && (
            <option value={`${sheet.id} ${other.revision}`}>{say.itselfAtRevision(other.revision ?? "")}</option>
          )}
          {named?.map((v) => (
            <option key={v.id} value={`${sheet.id} ${v.revision}`}>
              {say.itself(v.name)}
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
        {say.show}
        <select
          className="field w-32"
          aria-label={say.Show}
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
              ? say.theyAreAlike
              : say.onlyThereOnlyHereChanged(count("added"), count("removed"), count("changed"))}
          </span>
        )}
      </div>
      <div
        className="mt-3 min-h-[320px] flex-1 overflow-y-auto border-line border-y"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
        tabIndex={0}
        role="region"
        aria-label={say.differences}
      >
        {error && <p className="py-2 text-accent">! {error.message}</p>}
        <Differences list={differences} picks={picks} here={say.here} there={say.there} />
      </div>
      <div className="mt-3 flex items-center gap-3">
        <span className="text-soft">{say.anythingAThingNeeds}</span>
        <button
          type="button"
          className="button button-main ml-auto"
          disabled={chosen === 0}
          onClick={() => void take()}
        >
          {chosen ? say.takeDifferencesFromThere(chosen) : say.takeFromThere}
        </button>
      </div>
    </Floating>
  );
}
