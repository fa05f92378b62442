import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../model/api";
import { wire } from "../../model/delivering";
import { computed } from "../../model/queries";
import { useApp } from "../../model/store";

import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.wiringDialog;

/** WiringDialog tells what computing the wiring would make, split, move and take
 * away, before it is done. */
export function WiringDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const { data, isPending } = useQuery(computed.wiring(sheet.id, sheet.revision));
  const seen = data?.revision === sheet.revision ? data : undefined;
  const nothing = seen && still(seen);
  const take = async () => {
    if (await wire("everything")) close();
  };
  return (
    <Floating title={say.computeTheWiring} open onOpenChange={close} className="w-[720px]">
      <form
        className="flex min-h-0 flex-col"
        onSubmit={(e) => {
          e.preventDefault();
          void take();
        }}
      >
        <div className="min-h-0 flex-1 overflow-y-auto" data-part="wiring">
          {isPending && <p className="text-soft">{say.computing}</p>}
          {nothing && <p>{say.nothingToDoGroupsReturns}</p>}
          {seen && !nothing && <Outcome seen={seen} />}
        </div>
        <div className="mt-3 flex justify-end gap-2">
          <button type="button" className="button" onClick={close}>
            {nothing ? say.close : say.cancel}
          </button>
          {!nothing && (
            <button type="submit" className="button button-main" disabled={!seen}>
              {say.wireIt}
            </button>
          )}
        </div>
      </form>
    </Floating>
  );
}

function still(seen: Schemas["WiringOutcome"]) {
  return seen.made.length + seen.removed.length + seen.movedRows + seen.rewired + seen.stems.length === 0;
}

function Outcome({ seen }: { seen: Schemas["WiringOutcome"] }) {
  const buses = (list: Schemas["NamedBus"][]) => list.map((b) => say.the(b.kind, b.name)).join(", ");
  return (
    <>
      <dl className="grid grid-cols-[96px_1fr] gap-x-3 gap-y-1">
        {seen.split.map((s) => (
          <Line key={s.name} title={say.split}>
            {say.whichSeveralStemsShareInto(s.name, s.into.map((n) => `“${n}”`).join(say.and))}
          </Line>
        ))}
        {seen.made.length > 0 && <Line title={say.made}>{buses(seen.made)}</Line>}
        {seen.removed.length > 0 && <Line title={say.takenAway}>{buses(seen.removed)}</Line>}
        {seen.movedRows > 0 && (
          <Line title={say.moved}>
            <ul>
              {seen.moved.map((m) => (
                <li key={m.id}>
                  {m.name}: {m.from.join(", ") || say.noStem} → {m.to.join(", ") || say.noStem}
                </li>
              ))}
              {seen.movedRows > seen.moved.length && <li>{say.andMore(seen.movedRows - seen.moved.length)}</li>}
            </ul>
          </Line>
        )}
        {seen.rewired > 0 && <Line title={say.rewired}>{say.instrumentsInTheSameStem(seen.rewired)}</Line>}
      </dl>
      {seen.stems.length > 0 ? (
        <table className="mt-3 w-full" aria-label={say.whatEachStemCarries}>
          <thead>
            <tr className="border-line border-b text-left text-soft">
              <th className="py-1 font-normal">{say.stem}</th>
              <th className="font-normal">{say.fold}</th>
              <th className="text-right font-normal">{say.dryBefore}</th>
              <th className="text-right font-normal">{say.after}</th>
              <th className="text-right font-normal">{say.wetBefore}</th>
              <th className="text-right font-normal">{say.after}</th>
            </tr>
          </thead>
          <tbody>
            {seen.stems.map((s) => (
              <tr key={s.id} className="border-line border-b last:border-0" data-carries={s.name}>
                <td className="py-1">{s.name}</td>
                <td className="text-soft">{s.fold}</td>
                <Count was={s.before.dry} is={s.after.dry} />
                <Count was={s.before.wet} is={s.after.wet} />
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p className="mt-3 text-soft">{say.everyStemCarriesTheSame}</p>
      )}
    </>
  );
}

function Line({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <>
      <dt className="text-soft">{title}</dt>
      <dd className="min-w-0">{children}</dd>
    </>
  );
}

function Count({ was, is }: { was: number; is: number }) {
  return (
    <>
      <td className="text-right text-soft">{was}</td>
      <td className={`text-right ${was === is ? "text-soft" : "font-semibold"}`}>{is}</td>
    </>
  );
}
