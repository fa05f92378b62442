import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "../model/api";
import { mend, restThere } from "../model/changing";
import { computed } from "../model/queries";
import { explain, lookUp, select, set, show, useApp } from "../model/store";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.marks;

/** Marks lists the findings of the proof, each with its remedies. */
export function Marks({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const called = useApp((s) => s.called);
  const [count, setCount] = useState(page);
  const { data: found } = useQuery(computed.marks(sheet.id, sheet.revision, called, count, false));
  const { data: tried } = useQuery(computed.marks(sheet.id, sheet.revision, called, count, true));
  const data = tried?.revision === sheet.revision && tried.marks.length === found?.marks.length ? tried : found;
  return (
    <Floating title={data?.total ? say.found(data.total) : say.proved} open onOpenChange={close} className="w-[640px]">
      {data?.total === 0 && <p className="text-soft">{say.nothingToFixRulesPass(data.codes.length)}</p>}
      <ul className="-mx-2 min-h-0 flex-1 overflow-y-auto">
        {data?.marks.map((m, n) => (
          <MarkRow key={`${m.code}${m.subject}${n}`} mark={m} tried={data.tried} />
        ))}
      </ul>
      {data && data.total > data.marks.length && (
        <p className="pt-2 text-soft">
          {say.theFirstAreShown(data.marks.length)}
          {data.marks.length < most ? (
            <>
              .{" "}
              <button type="button" className="link" onClick={() => setCount(Math.min(most, count + page))}>
                {say.showMore}
              </button>
            </>
          ) : (
            say.fixSomeToSee
          )}
        </p>
      )}
    </Floating>
  );
}

/** How many marks are listed at first and with every step, and at most. */
const page = 40;
const most = 300;

function MarkRow({ mark, tried }: { mark: Schemas["Mark"]; tried: boolean }) {
  const sheet = useApp((s) => s.sheet)!;
  const look = () => {
    if (sheet.instruments.byId.has(mark.subject)) {
      select([mark.subject], mark.subject);
      show("orchestra");
    } else if (sheet.buses.byId.has(mark.subject)) {
      set({ bus: mark.subject });
      show("routing");
    } else if (sheet.patches.byId.has(mark.subject)) {
      const patch = sheet.patches.byId.get(mark.subject)!;
      lookUp(patch.library, patch);
      set({ dialog: null });
    } else if (sheet.machines.byId.has(mark.subject)) show("seating");
    else if (sheet.calls.byId.has(mark.subject)) show("calls");
  };
  return (
    <li className="border-line border-b px-2 py-2 last:border-0" data-mark={mark.code}>
      <div className="flex items-baseline gap-3">
        <span aria-hidden="true" className="font-bold text-accent">
          &gt;
        </span>
        <button type="button" className="flex-1 text-left" onClick={look}>
          {mark.message}
        </button>
        <button
          type="button"
          className="link text-[12px] text-soft"
          title={say.whatThisMarkMeans}
          onClick={() => explain("marks", mark.code)}
        >
          {mark.code}
        </button>
      </div>
      <div className="mt-1 ml-5 flex flex-wrap gap-1.5">
        {!tried && <span className="text-soft leading-7">{say.tryingRemedies}</span>}
        {mark.remedies.map((r) =>
          r.can ? (
            <button
              key={r.label}
              type="button"
              className="button"
              onClick={() =>
                void (r.rests ? restThere(r.rests.template, r.rests.machine) : mend(mark.code, mark.subject, r.at))
              }
            >
              {r.label}
            </button>
          ) : (
            <span key={r.label} className="text-soft leading-7">
              {r.label}
            </span>
          ),
        )}
      </div>
    </li>
  );
}
