import { useState } from "react";
import { answer, api } from "../../model/api";
import { type Delivery, day, linkOf, staleOf } from "../../model/deliveries";
import { useLookAgain } from "../../model/prints";
import { attempt, useApp } from "../../model/store";
import { bytes, plural } from "../../model/template";
import { Secret } from "../../parts/Secret";
import { chosenPrint, useChosenPrint } from "./chosen";
import { folders } from "./DeliverDialog";

/** Deliveries lists what was handed over. */
export function Deliveries({ list }: { list: readonly Delivery[] }) {
  const chosen = useChosenPrint((s) => s.delivery);
  if (list.length === 0) return null;
  return (
    <>
      <h3 className="px-3 pt-4 pb-1 font-serif text-soft">Delivered</h3>
      <ul aria-label="Deliveries">
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
                  {stale ? `! ${stale}` : `to ${d.to}, ${day(d.made)}`}
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
    <section aria-label={`Delivery to ${d.to}`} className="flex min-h-0 min-w-0 flex-1 flex-col">
      <div className="flex shrink-0 items-start gap-3 border-line border-b px-3 py-1.5">
        <div className="min-w-0 flex-1">
          <strong className={`block font-serif text-[15px] ${stale ? "text-accent" : ""}`}>
            {stale ? `! ${stale}` : `${d.title}, delivered to ${d.to}`}
          </strong>
          <span className="block text-soft">
            {stale && `to ${d.to}, `}by {d.by}, {new Date(d.made).toLocaleString()}; {folders[d.folders].toLowerCase()};{" "}
            {d.open ? `the link is open until ${day(d.ends!)}` : "no link is open"}
            {d.fetched > 0 &&
              `; fetched ${d.fetched === 1 ? "once" : `${d.fetched} times`}, last on ${day(d.fetchedAt!)}`}
          </span>
        </div>
        <span className="flex shrink-0 gap-1.5">
          {kept && (
            <button type="button" className="button" onClick={() => void open()}>
              {d.open ? "New link" : "Open a link"}
            </button>
          )}
          {d.open && (
            <button type="button" className="button" onClick={() => void end()}>
              End the link
            </button>
          )}
          {kept && (
            <a className="button" href={`/api/deliveries/${d.id}/package`}>
              Download the package
            </a>
          )}
        </span>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto px-3 py-2">
        {secret && (
          <div className="mb-4 max-w-[640px]">
            <Secret link={linkOf(secret)} says="Whoever has this link can hear and download the delivery." />
          </div>
        )}
        {d.note && <p className="mb-3 whitespace-pre-wrap border-line border-l-2 pl-3">{d.note}</p>}
        {d.prints.map((p) => (
          <section key={p.print} className="mb-4" aria-label={p.title}>
            <h3 className="font-serif text-[15px]">
              {p.title}, version {p.version}
            </h3>
            <p className="text-soft">
              {p.line}
              {p.changes > 0 && `; the template was changed ${p.changes === 1 ? "once" : `${p.changes} times`} since`}
              {!p.kept && "; its audio was deleted"}
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
                    version {p.newer} is newer: see what is different
                  </button>
                </>
              )}
            </p>
            <ul className="mt-1" aria-label={`Files of ${p.title}`}>
              {p.files.map((f) => (
                <li key={f.path} className="flex border-line border-b py-0.5">
                  <span className="truncate" title={`SHA-256 ${f.sha256}`}>
                    {f.path}
                  </span>
                  <span className="ml-auto shrink-0 pl-3 text-soft">{bytes(f.bytes)}</span>
                </li>
              ))}
            </ul>
            <p className="text-soft">{plural(p.files.length, "file")}</p>
          </section>
        ))}
      </div>
    </section>
  );
}
