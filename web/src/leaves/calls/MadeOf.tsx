import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import type { Call, Id } from "../../model/api";
import { computed } from "../../model/queries";
import { select, show, useApp } from "../../model/store";
import { mib, tintOf, tintVar, when } from "../../model/template";
import { madeOf } from "./madeof";
import { words } from "./words";

const say = words.madeOf;

interface Props {
  picked: Call | undefined;
  ids: ReadonlySet<Id>; // the rows it is about
}

/** MadeOf shows what a call is made of, or what is ready now, by section; a click selects its rows. */
export function MadeOf({ picked, ids }: Props) {
  const sheet = useApp((s) => s.sheet)!;
  const shares = useMemo(() => madeOf(sheet, ids), [sheet, ids]);
  const { data: used } = useQuery(computed.callsUsed(sheet.id));
  const last = picked && used?.find((u) => u.call === picked.id);
  const most = Math.max(1, ...shares.map((s) => s.mib));
  if (shares.length === 0) return <p className="border-line border-t px-3 py-2 text-soft">{say.chooseACallToSee}</p>;
  return (
    <section className="border-line border-t px-3 py-2" data-part="made-of">
      <h3 className="text-[15px]">
        {picked ? say.madeOf : say.bySection}{" "}
        <span className="font-normal font-sans text-[13px] text-soft">
          {picked && (last ? say.lastUsed(when(last.at)) : say.notUsedYet)}
        </span>
      </h3>
      <ul className="mt-1">
        {shares.map((s) => (
          <li key={s.section}>
            <button
              type="button"
              className="grid h-[26px] w-full grid-cols-[minmax(110px,1fr)_64px_minmax(60px,2fr)_74px] items-center gap-3 rounded-[3px] text-left hover:bg-band"
              title={say.selectTheRowsIn(s.rows.length, s.name)}
              onClick={() => {
                select(s.rows, s.rows[0] ?? null);
                show("orchestra");
              }}
            >
              <span className="truncate font-serif">{s.name}</span>
              <span className="text-right text-soft">{say.rows(s.rows.length)}</span>
              <span className="h-2.5 bg-band">
                <span
                  className="block h-full"
                  style={{ width: `${(100 * s.mib) / most}%`, background: tintVar(tintOf(sheet, s.section)) }}
                />
              </span>
              <span className="text-right">{mib(s.mib)}</span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
