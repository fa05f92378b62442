import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Id } from "../../model/api";
import { type By, type OrderPlan, ordered, putInOrder, ways } from "../../model/order";
import { get, useApp } from "../../model/store";
import { pathOf, things } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.orderDialog;

/** OrderDialog puts the whole orchestra or one section in order, and shows the
 * outcome before it is taken. */
export function OrderDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [within, setWithin] = useState<Id>("");
  const [by, setBy] = useState<By>("score");
  const { data: plan, error } = useQuery(ordered(within, by, sheet.revision));
  const take = async () => {
    if (await putInOrder(within, by)) close();
  };
  return (
    <Floating title={say.putInOrder} open onOpenChange={close} className="w-[820px]">
      <div className="grid min-h-0 flex-1 grid-cols-[280px_minmax(0,1fr)] gap-5">
        <form className="flex flex-col gap-3">
          <label className="flex items-center gap-2">
            {say.what}
            <select className="field min-w-0 flex-1" value={within} onChange={(e) => setWithin(e.target.value)}>
              <option value="">{say.theWholeOrchestra}</option>
              {things(sheet.sections).map((s) => (
                <option key={s.id} value={s.id}>
                  {pathOf(get().sheet!, s.id)}
                </option>
              ))}
            </select>
          </label>
          <fieldset className="flex flex-col gap-1">
            <legend className="sr-only">{say.how}</legend>
            {ways.map(([key, name, about]) => (
              <label key={key} className="flex min-h-7 items-start gap-2">
                <input type="radio" name="by" className="mt-1" checked={by === key} onChange={() => setBy(key)} />
                <span>
                  <b className="font-semibold">{name}</b>
                  <span className="block text-[12px] text-soft">{about}</span>
                </span>
              </label>
            ))}
          </fieldset>
        </form>
        <div className="flex min-h-0 flex-col gap-2">
          {error && <p className="text-accent">! {error.message}</p>}
          {plan && <Outcome plan={plan} />}
        </div>
      </div>
      <div className="mt-3 flex items-center gap-2">
        <span className="text-soft">{say.routesStemsSeatsAndCalls}</span>
        <button
          type="button"
          className="button button-main ml-auto"
          disabled={!plan?.changes}
          onClick={() => void take()}
        >
          {say.putInOrder}
        </button>
      </div>
    </Floating>
  );
}

/** How many sections a line names. */
const shown = 6;

function Outcome({ plan }: { plan: OrderPlan }) {
  const some = (text: string, list: string[]) =>
    list.length > 0 && (
      <p className="text-soft">
        {text}:{" "}
        <span className="text-ink" title={list.join(", ")}>
          {list.slice(0, shown).join(", ")}
          {list.length > shown && say.andMore(list.length - shown)}
        </span>
      </p>
    );
  return (
    <>
      <p data-part="moved">
        {plan.changes ? (
          <>
            <b className="font-semibold">{say.rows(plan.moved)}</b> {say.wouldMove}
          </>
        ) : (
          say.everythingIsInThisOrder
        )}
      </p>
      {some(say.removedBecauseItWould, plan.gone)}
      {some(say.keptAlthoughEmptyBecauseStem, plan.kept)}
      {plan.stems > 0 && <p className="text-accent">{say.rowsWouldMatchAnotherStem(plan.stems)}</p>}
      <div
        className="min-h-[340px] flex-1 overflow-y-auto border-line border-y py-1"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
        tabIndex={0}
        role="region"
        aria-label={say.theOrder}
      >
        {plan.sections.map((s, n) => (
          <div key={n} className="flex min-h-[22px] items-baseline gap-2 pr-1" style={{ paddingLeft: s.depth * 16 }}>
            <span className={`shrink-0 font-serif ${s.depth === 0 ? "font-semibold text-[15px]" : ""}`}>{s.name}</span>
            <span className="min-w-0 flex-1 truncate text-[12px] text-soft" title={s.first.join(", ")}>
              {s.first.join(", ")}
              {s.count > s.first.length && " …"}
            </span>
            <span className="text-[12px] text-soft tabular-nums">{s.count || ""}</span>
          </div>
        ))}
      </div>
    </>
  );
}
