import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { answer, api, type Schemas } from "../../model/api";
import { day, linkOf } from "../../model/deliveries";
import { printsOf, useLookAgain } from "../../model/prints";
import { toggled } from "../../model/sets";
import { attempt, useApp } from "../../model/store";

import { Secret } from "../../parts/Secret";
import { Floating } from "../../shell/Floating";
import { chosenPrint, useChosenPrint } from "./chosen";
import { words } from "./words";

const say = words.deliverDialog;

type Folders = Schemas["DeliveryAsk"]["folders"];

export const folders: Record<Folders, string> = {
  one: say.allFilesInOneFolder,
  fold: say.aFolderForEachFold,
  cue: say.aFolderForEachCue,
  reel: say.aFolderForEachReel,
};

/** DeliverDialog hands prints over to somebody, with a link where that is wished. */
export function DeliverDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const lookAgain = useLookAgain(sheet.id);
  const { data } = useQuery(printsOf(sheet.id));
  const done = (data?.prints ?? []).filter((p) => p.state === "done" && !p.ask.over);
  const seen = useChosenPrint((s) => s.id) ?? done[0]?.id;
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set(seen ? [seen] : []));
  const [to, setTo] = useState("");
  const [note, setNote] = useState("");
  const [lie, setLie] = useState<Folders>("one");
  const [listening, setListening] = useState(false);
  const [link, setLink] = useState(true);
  const [days, setDays] = useState(30);
  const [made, setMade] = useState<{ id: string; secret: string } | null>(null);
  const chosen = done.filter((p) => picked.has(p.id));
  const faults = chosen.reduce((n, p) => n + p.faults, 0);
  const go = async (e: FormEvent) => {
    e.preventDefault();
    const body = { prints: chosen.map((p) => p.id), to, note, folders: lie, listening, linkDays: link ? days : 0 };
    const now = await attempt(() =>
      answer(api.POST("/api/templates/{id}/deliveries", { params: { path: { id: sheet.id } }, body })),
    );
    await lookAgain();
    if (!now) return;
    setMade(now);
    chosenPrint.setState({ delivery: now.id });
  };
  if (made)
    return (
      <Floating title={say.deliveredTo(to)} open onOpenChange={close} className="w-[560px]">
        {made.secret ? (
          <Secret link={linkOf(made.secret)} says={say.whoeverHasThisLinkCan} />
        ) : (
          <p>{say.itIsRecordedHere}</p>
        )}
        <div className="mt-4 flex justify-end gap-2">
          <a className="button" href={`/api/deliveries/${made.id}/package`}>
            {say.downloadThePackage}
          </a>
          <button type="button" className="button button-main" onClick={close}>
            {say.done}
          </button>
        </div>
      </Floating>
    );
  return (
    <Floating title={say.deliver} open onOpenChange={close} className="w-[600px]">
      <form onSubmit={(e) => void go(e)} className="flex min-h-0 flex-col">
        <div className="grid min-h-0 grid-cols-[auto_1fr] items-start gap-x-4 gap-y-2 overflow-y-auto p-0.5">
          <label htmlFor="deliver-to" className="pt-1">
            {say.to}
          </label>
          <input
            id="deliver-to"
            className="field w-full"
            placeholder={say.whoReceivesIt}
            value={to}
            maxLength={200}
            onChange={(e) => setTo(e.target.value)}
          />
          <span className="pt-0.5">{say.prints}</span>
          <ul aria-label={say.printsToDeliver} className="max-h-[26vh] overflow-y-auto border-line border-y">
            {done.map((p) => (
              <li key={p.id} className="flex h-[26px] items-center gap-2">
                <label className="flex min-w-0 items-center gap-2">
                  <input type="checkbox" checked={picked.has(p.id)} onChange={() => setPicked(toggled(picked, p.id))} />
                  <span className="truncate">{p.title}</span>
                </label>
                <span className={`ml-auto shrink-0 ${p.faults > 0 ? "text-accent" : "text-soft"}`}>
                  {say.v(p.faults > 0 ? `! ${say.marks(p.faults)}, ` : "", p.version)}
                </span>
              </li>
            ))}
          </ul>
          <label htmlFor="deliver-folders" className="pt-1">
            {say.folders}
          </label>
          <select
            id="deliver-folders"
            className="field"
            value={lie}
            onChange={(e) => setLie(e.target.value as Folders)}
          >
            {Object.entries(folders).map(([key, name]) => (
              <option key={key} value={key}>
                {name}
              </option>
            ))}
          </select>
          <span />
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={listening} onChange={(e) => setListening(e.target.checked)} />
            {say.withASmallerCopy}
          </label>
          <label htmlFor="deliver-note" className="pt-1">
            {say.note}
          </label>
          <textarea
            id="deliver-note"
            className="field h-[72px] w-full"
            placeholder={say.whatTheyShouldKnow}
            value={note}
            maxLength={5000}
            onChange={(e) => setNote(e.target.value)}
          />
          <span className="pt-0.5">{say.link}</span>
          <div>
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={link} onChange={(e) => setLink(e.target.checked)} />
              {say.makeALinkToHear}
            </label>
            {link && (
              <div className="mt-1.5 flex items-center gap-2">
                <label htmlFor="deliver-days">{say.openFor}</label>
                <input
                  id="deliver-days"
                  type="number"
                  min={1}
                  max={366}
                  className="field w-16"
                  value={days}
                  onChange={(e) => setDays(Math.min(366, Math.max(1, Number(e.target.value) || 1)))}
                />
                <span className="text-soft">{say.daysUntil(day(new Date(Date.now() + days * 86_400_000)))}</span>
              </div>
            )}
          </div>
        </div>
        <div className="mt-4 flex items-center justify-end gap-3">
          {faults > 0 && <span className="text-accent">{say.marksWill(faults)}</span>}
          <button type="submit" className="button button-main" disabled={chosen.length === 0 || to.trim() === ""}>
            {say.deliverCues(chosen.length)}
          </button>
        </div>
      </form>
    </Floating>
  );
}
