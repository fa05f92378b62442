import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { type NamesAsk, named, nameRows } from "../../model/naming";
import { get, useApp } from "../../model/store";

import { isPlayed } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { Abbreviations } from "./Abbreviations";
import { words } from "./words";

const say = words.namesDialog;

/** What stands in braces, and what it gives. */
const parts = say.deskArticulationSectionParentFamily;

/** NamesDialog names the selection, or all rows, by a pattern, with what each
 * would be called before it is done. */
export function NamesDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [ids] = useState(() => chosen());
  const [ask, setAsk] = useState<NamesAsk>(() => {
    const was = get().sheet!.settings.names ?? {};
    return {
      pattern: was.pattern ?? "{desk} {family}",
      shorten: was.shortLimit !== undefined || was.shortPattern !== undefined,
      shortPattern: was.shortPattern ?? "",
      limit: was.shortLimit ?? 12,
      byHand: false,
    };
  });
  const [table, setTable] = useState(false);
  const { data, error, isPlaceholderData } = useQuery(named(ids, ask, sheet.revision));
  const rows = data?.rows ?? [];
  const changes = rows.filter((r) => r.name !== r.before || r.short !== r.shortBefore).length;
  const twice = rows.filter((r) => r.twice).length;
  const kept = rows.filter((r) => r.kept || (ask.shorten && r.keptShort)).length;
  const take = async () => {
    if (await nameRows(ids, ask)) close();
  };
  return (
    <Floating title={say.nameRows(ids.length)} open onOpenChange={close} className="w-[820px]">
      <div className="grid grid-cols-[110px_minmax(0,1fr)] items-center gap-x-3 gap-y-2">
        <label htmlFor="pattern">{say.names}</label>
        <input
          id="pattern"
          className="field"
          value={ask.pattern}
          placeholder={say.asTheyAre}
          onChange={(e) => setAsk({ ...ask, pattern: e.target.value })}
        />
        <span />
        <p className="-mt-1 text-[12px] text-soft">{say.youCanUse(parts)}</p>
        <label className="flex items-center gap-2" htmlFor="shorten">
          <input
            id="shorten"
            type="checkbox"
            checked={ask.shorten}
            onChange={(e) => setAsk({ ...ask, shorten: e.target.checked })}
          />
          {say.shortNames}
        </label>
        <div className="flex items-center gap-2">
          <input
            className="field min-w-0 flex-1"
            aria-label={say.patternOfShortNames}
            placeholder={say.theNameShortened}
            disabled={!ask.shorten}
            value={ask.shortPattern}
            onChange={(e) => setAsk({ ...ask, shortPattern: e.target.value })}
          />
          <label className="flex items-center gap-2">
            {say.letters}
            <select
              className="field"
              disabled={!ask.shorten}
              value={ask.limit}
              onChange={(e) => setAsk({ ...ask, limit: Number(e.target.value) })}
            >
              {[7, 12, 0].map((n) => (
                <option key={n} value={n}>
                  {n || say.any}
                </option>
              ))}
            </select>
          </label>
          <button type="button" className="button" aria-expanded={table} onClick={() => setTable(!table)}>
            {say.abbreviations}
          </button>
        </div>
      </div>
      {table && <Abbreviations />}
      <div
        className="mt-3 min-h-[180px] flex-1 overflow-y-auto border-line border-y"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
        tabIndex={0}
        role="region"
        aria-label={say.whatTheyWouldBeCalled}
      >
        {error && <p className="py-2 text-accent">! {error.message}</p>}
        {!error && (
          <table className={`w-full text-left ${isPlaceholderData ? "text-soft" : ""}`}>
            <thead className="sticky top-0 bg-paper text-soft">
              <tr>
                <th className="w-[34%] py-1 pl-1 font-normal">{say.now}</th>
                <th className="w-[34%] font-normal">{say.named}</th>
                {ask.shorten && <th className="font-normal">{say.short}</th>}
              </tr>
            </thead>
            <tbody>
              {rows.slice(0, shown).map((r) => (
                <tr key={r.id} className="h-[24px] odd:bg-band" data-named={r.before}>
                  <td className="truncate pl-1 text-soft">{r.before}</td>
                  <td>
                    {r.name}
                    {r.kept && <span className="text-[12px] text-soft"> {say.byHand}</span>}
                    {r.twice && <span className="text-[12px] text-accent"> {say.twiceInItsSection}</span>}
                  </td>
                  {ask.shorten && (
                    <td>
                      {r.short}
                      {r.keptShort && <span className="text-[12px] text-soft"> {say.byHand}</span>}
                    </td>
                  )}
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {rows.length > shown && <p className="p-1 text-soft">{say.andMore(rows.length - shown)}</p>}
      </div>
      <div className="mt-3 flex items-center gap-4">
        <span data-part="name-count">
          {say.rowsWouldChange(changes)}
          {twice > 0 && <span className="text-accent">{say.rowsWouldHaveTheSame(twice)}</span>}
        </span>
        {(kept > 0 || ask.byHand) && (
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={ask.byHand}
              onChange={(e) => setAsk({ ...ask, byHand: e.target.checked })}
            />
            {say.renameThoseNamedByHand}
          </label>
        )}
        <button
          type="button"
          className="button button-main ml-auto"
          disabled={changes === 0 || error !== null}
          onClick={() => void take()}
        >
          {say.nameThem}
        </button>
      </div>
    </Floating>
  );
}

/** How many rows a preview lists. */
const shown = 500;

/** chosen are the selected rows, or all that play. */
export function chosen() {
  const { sheet, selection } = get();
  const all = sheet!.instruments.order;
  if (selection.size > 0) return all.filter((id) => selection.has(id));
  return all.filter((id) => isPlayed(sheet!.instruments.byId.get(id)));
}
