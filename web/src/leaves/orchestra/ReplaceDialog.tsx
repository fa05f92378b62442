import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { replaceText, type Search, searched } from "../../model/naming";
import { get, useApp } from "../../model/store";

import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.replaceDialog;

const places = Object.keys(say.places) as Search["field"][];

/** How many finds a preview lists. */
const shown = 300;

/** ReplaceDialog finds text and replaces it, with each outcome before it is
 * done. */
export function ReplaceDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [selected] = useState(() => sheet.instruments.order.filter((id) => get().selection.has(id)));
  const [inSelection, setInSelection] = useState(selected.length > 1);
  const [search, setSearch] = useState<Search>({ field: "names", find: "", with: "", expression: false, case: false });
  const ofRows = places.indexOf(search.field) < 4;
  const whole = { ...search, ...(inSelection && ofRows ? { ids: selected } : {}) };
  const { data, error } = useQuery(searched(whole, sheet.revision));
  const found = search.find ? (data?.found ?? []) : [];
  const take = async () => {
    if (await replaceText(whole)) close();
  };
  const flag = (key: "expression" | "case", text: string) => (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        checked={search[key]}
        onChange={(e) => setSearch({ ...search, [key]: e.target.checked })}
      />
      {text}
    </label>
  );
  return (
    <Floating title={say.findAndReplace} open onOpenChange={close} className="w-[720px]">
      <div className="grid grid-cols-[70px_minmax(0,1fr)] items-center gap-x-3 gap-y-2">
        <label htmlFor="find-in">{say.in}</label>
        <div className="flex items-center gap-4">
          <select
            id="find-in"
            className="field w-44"
            value={search.field}
            onChange={(e) => setSearch({ ...search, field: e.target.value as Search["field"] })}
          >
            {places.map((p) => (
              <option key={p} value={p}>
                {say.places[p]}
              </option>
            ))}
          </select>
          {selected.length > 0 && ofRows && (
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={inSelection} onChange={(e) => setInSelection(e.target.checked)} />
              {say.onlyInTheSelectedRows(selected.length)}
            </label>
          )}
        </div>
        <label htmlFor="find">{say.find}</label>
        <input
          id="find"
          className="field"
          value={search.find}
          onChange={(e) => setSearch({ ...search, find: e.target.value })}
        />
        <label htmlFor="with">{say.replace}</label>
        <input
          id="with"
          className="field"
          placeholder={search.expression ? say.n1IsWhatTheFirst : say.emptyRemovesIt}
          value={search.with}
          onChange={(e) => setSearch({ ...search, with: e.target.value })}
        />
        <span />
        <div className="flex gap-5">
          {flag("expression", say.aRegularExpression)}
          {flag("case", say.matchCapitals)}
        </div>
      </div>
      <div
        className="mt-3 min-h-[220px] flex-1 overflow-y-auto border-line border-y"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
        tabIndex={0}
        role="region"
        aria-label={say.whatWouldBeReplaced}
      >
        {error && <p className="py-2 text-accent">! {error.message}</p>}
        {found.slice(0, shown).map((f) => (
          <div key={f.id} className="grid min-h-[24px] grid-cols-2 gap-3 px-1 odd:bg-band" data-found={f.before}>
            <span className="truncate text-soft" title={f.before}>
              {f.before}
            </span>
            <span className="truncate" title={f.after}>
              {f.after || <i>{say.nothing}</i>}
            </span>
          </div>
        ))}
        {found.length > shown && <p className="p-1 text-soft">{say.andMore(found.length - shown)}</p>}
      </div>
      <div className="mt-3 flex items-center">
        <span data-part="found-count">{search.find ? say.textsWouldChange(found.length) : ""}</span>
        <button
          type="button"
          className="button button-main ml-auto"
          disabled={found.length === 0 || error !== null}
          onClick={() => void take()}
        >
          {say.replace}
        </button>
      </div>
    </Floating>
  );
}
