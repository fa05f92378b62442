import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { Id, Schemas } from "../../model/api";
import { type Catalogue, useCatalogue } from "../../model/catalogue";
import { hand, setHand, takeOutTranslated } from "../../model/hand";
import { get, useApp } from "../../model/store";

import { ChooseFile, musicFiles } from "../../parts/ChooseFile";
import { FileNotes } from "../../parts/FileNotes";
import { Floating } from "../../shell/Floating";
import { MapEditor } from "./MapEditor";
import { writtenAll } from "./switches";
import { words } from "./words";

const say = words.handDialog;

type Page = "hand" | "rows" | "file";

const pages: [Page, string][] = [
  ["hand", say.theHand],
  ["rows", say.onTheRows],
  ["file", say.aFilePlayedWithIt],
];

/** The keys of a piano, which a hand leaves to notes, MIDI notes. */
const piano = { keyLow: 21, keyHigh: 108 };

/** HandDialog keeps the studio's one hand for all libraries: a key or controller value for
 * each articulation, how it comes out on rows, and files that were played with it. */
export function HandDialog({ close }: { close: () => void }) {
  const cat = useCatalogue();
  const { data } = useQuery(hand.own);
  const [page, setPage] = useState<Page>("hand");
  if (!cat || !data) return null;
  const none = data.map.length === 0;
  return (
    <Floating title={say.oneHandForAllLibraries} open onOpenChange={close} className="w-[820px]">
      <div className="mb-2 flex gap-1" role="tablist">
        {pages.map(([key, text]) => (
          <button
            key={key}
            type="button"
            role="tab"
            aria-selected={page === key}
            className={`button ${page === key ? "bg-chosen" : ""}`}
            disabled={none && key !== "hand"}
            onClick={() => setPage(key)}
          >
            {text}
          </button>
        ))}
      </div>
      <div className="min-h-0 overflow-y-auto">
        {page === "hand" && <TheHand cat={cat} is={data} />}
        {page === "rows" && <OnRows cat={cat} />}
        {page === "file" && <AFile />}
      </div>
    </Floating>
  );
}

function TheHand({ cat, is }: { cat: Catalogue; is: Schemas["Hand"] }) {
  const client = useQueryClient();
  const keep = async (map: Schemas["Mapping"][]) => {
    const done = await setHand(map);
    if (done) await client.invalidateQueries({ queryKey: ["hand"] });
    return done;
  };
  return (
    <>
      <p className="mb-2 text-soft">{say.oneKeyOrControllerValue}</p>
      {is.map.length === 0 && (
        <p className="mb-3 flex items-center gap-3">
          <span>
            {is.proposed.length > 0
              ? say.articulationsOfTheStudiosLibraries(is.proposed.length)
              : say.theStudiosPatchesName}
          </span>
          {is.proposed.length > 0 && (
            <button type="button" className="button button-main" onClick={() => void keep(is.proposed)}>
              {say.takeWhatIsProposed}
            </button>
          )}
        </p>
      )}
      <MapEditor
        key={is.map.length}
        cat={cat}
        patch={{ name: say.theHand2, map: is.map, ...piano }}
        seen={() => cat.revision}
        set={keep}
      />
    </>
  );
}

function OnRows({ cat }: { cat: Catalogue }) {
  const sheet = useApp((s) => s.sheet)!;
  const selection = useApp((s) => s.selection);
  const [ids] = useState<Id[]>(() =>
    sheet.instruments.order.filter((id) => get().selection.has(id) || get().selection.size === 0).slice(0, 200),
  );
  const { data, error } = useQuery(hand.onRows(ids, sheet.revision));
  const [at, setAt] = useState(0);
  const row = data?.[Math.min(at, data.length - 1)];
  if (error) return <p className="text-accent">! {error.message}</p>;
  if (!data) return null;
  if (!row) return <p className="text-soft">{say.noneOfTheRowsPlays}</p>;
  return (
    <>
      <label className="mb-2 flex items-center gap-2">
        <span className="text-soft">{selection.size > 0 ? say.selected : say.row}</span>
        <select className="field" aria-label={say.row} value={at} onChange={(e) => setAt(Number(e.target.value))}>
          {data.map((r, n) => (
            <option key={r.id} value={n}>
              {sheet.instruments.byId.get(r.id)?.name}: {lacking(r)}
            </option>
          ))}
        </select>
      </label>
      {row.inTheWay.length > 0 && (
        <p className="mb-2 text-accent">{say.itsNotesReachTheKeys(row.inTheWay.join(", "))}</p>
      )}
      <table className="w-full text-left" aria-label={say.howItComesOut}>
        <thead>
          <tr className="text-soft">
            <th className="font-normal">{say.askedFor}</th>
            <th className="font-normal">{say.itPlays}</th>
            <th className="font-normal">{say.by}</th>
          </tr>
        </thead>
        <tbody>
          {row.reaches.map((r) => (
            <tr key={r.wanted} className="odd:bg-band" data-wanted={r.wanted}>
              <td className="py-0.5 pl-1">{r.wanted}</td>
              <td className={r.exact ? "" : "text-accent"}>
                {r.exact ? r.plays : r.plays ? say.instead(r.plays) : say.nothingCloseItStays}
              </td>
              <td className="text-soft">{writtenAll(r.switches, cat.middleC)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function lacking(r: Schemas["HandRow"]) {
  const n = r.reaches.filter((x) => !x.exact).length;
  return n === 0 ? say.hasThemAll : say.lacksOf(n, r.reaches.length);
}

function AFile() {
  const sheet = useApp((s) => s.sheet)!;
  const [file, setFile] = useState<File | null>(null);
  const { data, error } = useQuery(hand.translation(file, sheet.revision));
  const rows = data?.parts.reduce((n, p) => n + p.rows.length, 0) ?? 0;
  return (
    <>
      <div className="mb-2 flex items-center gap-2">
        <ChooseFile accept={musicFiles} label={say.playedFile} take={setFile}>
          {file ? file.name : say.chooseAMidiFile}
        </ChooseFile>
        {file && rows > 0 && (
          <button type="button" className="button button-main ml-auto" onClick={() => void takeOutTranslated(file)}>
            {say.takeOutAsMidi}
          </button>
        )}
      </div>
      {!file && <p className="py-4 text-center text-soft">{say.everyTrackFindsItsRow}</p>}
      {error && <p className="text-accent">! {error.message}</p>}
      {data && <FileNotes notes={data.notes} />}
      {data && (
        <table className="w-full text-left" aria-label={say.translated}>
          <thead>
            <tr className="text-soft">
              <th className="font-normal">{say.track}</th>
              <th className="font-normal">{say.row}</th>
              <th className="font-normal">{say.notes}</th>
              <th className="font-normal">{say.switches}</th>
              <th className="font-normal">{say.playedDifferently}</th>
            </tr>
          </thead>
          <tbody>
            {data.parts.map((p, n) =>
              p.rows.length === 0 ? (
                <tr key={n} className="odd:bg-band">
                  <td className="py-0.5 pl-1">{p.name}</td>
                  <td colSpan={4} className="text-accent">
                    {say.nobody(p.why)}
                  </td>
                </tr>
              ) : (
                p.rows.map((r) => (
                  <tr key={`${n} ${r.id}`} className="align-top odd:bg-band">
                    <td className="py-0.5 pl-1">{p.name}</td>
                    <td title={p.why}>{sheet.instruments.byId.get(r.id)?.name}</td>
                    <td>{r.notes.toLocaleString("en")}</td>
                    <td>{r.switches.toLocaleString("en")}</td>
                    <td className="text-accent">
                      {r.instead.map((x) => say.as(x.wanted, x.plays ?? say.before)).join(", ")}
                      {r.outside > 0 && say.notesBeyondItsKeys(r.outside)}
                    </td>
                  </tr>
                ))
              ),
            )}
          </tbody>
        </table>
      )}
    </>
  );
}
