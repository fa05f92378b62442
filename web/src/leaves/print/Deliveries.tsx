import { useState } from "react";
import { answer, api } from "../../model/api";
import { type Delivery, day, linkOf, staleOf } from "../../model/deliveries";
import { useLookAgain } from "../../model/prints";
import { attempt, useApp } from "../../model/store";
import { bytes, when } from "../../model/template";
import { Secret } from "../../parts/Secret";
import { chosenPrint, useChosenPrint } from "./chosen";
import { folders } from "./DeliverDialog";
import { words } from "./words";

const say = words.deliveries;

/** Deliveries lists what was handed over. */
export function Deliveries({ list }: { list: readonly Delivery[] }) {
  const chosen = useChosenPrint((s) => s.delivery);
  if (list.length === 0) return null;
  return (
    <>
      <h3 className="px-3 pt-4 pb-1 font-serif text-soft">{say.delivered}</h3>
      <ul aria-label={say.deliveries}>
        {list.map((d) => {
          const stale = staleOf(d);
          return (
            <li key={d.id}>
              <button
                type="button"
                aria-current={d.id === chosen}
                className={`w-full px-3 py-1.5 text-left ${d.id === chosen ? "bg-band" : "hover:bg-band"}`}
                onClick={() => chosenPrint.setState({ delivery: d.id })}
              >
                <span className="block truncate">{d.title}</span>
                <span className={`block truncate ${stale ? "text-accent" : "text-soft"}`}>
                  {stale ? `! ${stale}` : say.to(d.to, day(d.made))}
                </span>
              </button>
            </li>
          );
        })}
      </ul>
    </>
  );
}

/** DeliveryView tells of one delivery: to whom it went, and what has changed since. */
export function DeliveryView({ delivery: d }: { delivery: Delivery }) {
  const sheet = useApp((s) => s.sheet)!;
  const lookAgain = useLookAgain(sheet.id);
  const [secret, setSecret] = useState("");
  const params = { params: { path: { id: d.id } } };
  const open = async () => {
    const made = await attempt(() => answer(api.POST("/api/deliveries/{id}/link", { ...params, body: { days: 30 } })));
    if (made) setSecret(made.secret);
    await lookAgain();
  };
  const end = async () => {
    await attempt(() => answer(api.DELETE("/api/deliveries/{id}/link", params)));
    setSecret("");
    await lookAgain();
  };
  const stale = staleOf(d);
  const kept = d.prints.every((p) => p.kept);
  return (
    <section aria-label={say.deliveryTo(d.to)} className="flex min-h-0 min-w-0 flex-1 flex-col">
      <div className="flex shrink-0 items-start gap-3 border-line border-b px-3 py-1.5">
        <div className="min-w-0 flex-1">
          <strong className={`block font-serif text-[15px] ${stale ? "text-accent" : ""}`}>
            {stale ? `! ${stale}` : say.deliveredTo(d.title, d.to)}
          </strong>
          <span className="block text-soft">
            {say.by(
              stale && say.toTo(d.to),
              d.by,
              when(d.made),
              folders[d.folders].toLowerCase(),
              d.open ? say.theLinkIsOpenUntil(day(d.ends!)) : say.noLinkIsOpen,
            )}
            {d.fetched > 0 && say.fetchedLastOn(d.fetched, day(d.fetchedAt!))}
          </span>
        </div>
        <span className="flex shrink-0 gap-1.5">
          {kept && (
            <button type="button" className="button" onClick={() => void open()}>
              {d.open ? say.newLink : say.openALink}
            </button>
          )}
          {d.open && (
            <button type="button" className="button" onClick={() => void end()}>
              {say.endTheLink}
            </button>
          )}
          {kept && (
            <a className="button" href={`/api/deliveries/${d.id}/package`}>
              {say.downloadThePackage}
            </a>
          )}
        </span>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto px-3 py-2">
        {secret && (
          <div className="mb-4 max-w-[640px]">
            <Secret link={linkOf(secret)} says={say.whoeverHasThisLinkCan} />
          </div>
        )}
        {d.note && <p className="mb-3 whitespace-pre-wrap border-line border-l-2 pl-3">{d.note}</p>}
        {d.prints.map((p) => (
          <section key={p.print} className="mb-4" aria-label={p.title}>
            <h3 className="font-serif text-[15px]">{say.version(p.title, p.version)}</h3>
            <p className="text-soft">
              {p.line}
              {p.changes > 0 && say.theTemplateWasChangedSince(p.changes)}
              {!p.kept && say.itsAudioWasDeleted}
              {p.newerId && (
                <>
                  ;{" "}
                  <button
                    type="button"
                    className="link text-accent"
                    onClick={() =>
                      chosenPrint.setState({ id: p.newerId!, delivery: null, against: p.kept ? p.print : null })
                    }
                  >
                    {say.versionIsNewerSeeWhat(p.newer)}
                  </button>
                </>
              )}
            </p>
            <ul className="mt-1" aria-label={say.filesOf(p.title)}>
              {p.files.map((f) => (
                <li key={f.path} className="flex border-line border-b py-0.5">
                  <span className="truncate" title={say.sha256(f.sha256)}>
                    {f.path}
                  </span>
                  <span className="ml-auto shrink-0 pl-3 text-soft">{bytes(f.bytes)}</span>
                </li>
              ))}
            </ul>
            <p className="text-soft">{say.files(p.files.length)}</p>
          </section>
        ))}
      </div>
    </section>
  );
}
