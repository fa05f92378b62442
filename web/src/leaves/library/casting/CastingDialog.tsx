import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { type CastAsk, type CastPart, casting, handed, takeCast } from "../../../model/casting";
import { type Catalogue, useCatalogue } from "../../../model/catalogue";
import { furnish } from "../../../model/furnishing";
import { keyName } from "../../../model/keys";
import { createTemplate } from "../../../model/opening";
import { tell, useApp } from "../../../model/store";
import { UnreadList } from "../../../parts/UnreadList";
import { Floating } from "../../../shell/Floating";
import { Lists } from "./Lists";
import { Who } from "./Who";

/** CastingDialog casts a score, from a file or a line, with a list of
 * preferences, and lays it down as rows and a call. */
export function CastingDialog({ close }: { close: () => void }) {
  const cat = useCatalogue();
  if (!cat) return null;
  return (
    <Floating title="Cast a score" open onOpenChange={close} className="w-[1120px]">
      <Casting cat={cat} close={close} />
    </Floating>
  );
}

function Casting({ cat, close }: { cat: Catalogue; close: () => void }) {
  const revision = useApp((s) => s.sheet!.revision);
  const [ask, setAsk] = useState<CastAsk>({ file: null, line: "", list: "", hand: {} });
  const [line, setLine] = useState("");
  const [name, setName] = useState("");
  const [fresh, setFresh] = useState(false);
  const [editing, setEditing] = useState(false);
  const wish = useApp((s) => s.furnishing);
  const { data, error, isFetching } = useQuery(casting(ask, revision, cat.revision));
  const given = ask.file !== null || ask.line.trim() !== "";
  const open = (file: File | null | undefined) => {
    if (file) setAsk({ ...ask, file, hand: {} });
  };
  const take = async (e: FormEvent) => {
    e.preventDefault();
    const title = name || (data?.title ?? "");
    if (fresh && !(await createTemplate(title))) return;
    const done = await takeCast(ask, title);
    if (!done) return;
    tell(`${name || done.title} is cast: the call of that name brings everybody in.`);
    close();
    if (wish) await furnish({ ...wish, fill: false });
  };
  const report = given && !error ? data : undefined;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: a file may also be chosen by its button
    <div
      className="flex min-h-0 flex-col"
      onDragOver={(e) => e.dataTransfer.types.includes("Files") && e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        open(e.dataTransfer.files[0]);
      }}
    >
      <form
        className="mb-2 flex flex-wrap items-end gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          setAsk({ ...ask, file: null, line, hand: {} });
        }}
      >
        <label className="button">
          {ask.file ? ask.file.name : "Choose a MusicXML file"}
          <input
            type="file"
            className="sr-only"
            accept=".musicxml,.mxl,.xml"
            aria-label="Score"
            onChange={(e) => open(e.target.files?.[0])}
          />
        </label>
        <span className="pb-1 text-soft">or a line</span>
        <input
          className="field min-w-60 flex-1"
          aria-label="Orchestra in a line"
          placeholder="2[1.2/pic] 2 2 2 - 4 2 3 1 - tmp+2 - hp - str"
          value={line}
          onChange={(e) => setLine(e.target.value)}
        />
        <button type="submit" className="button" disabled={line.trim() === ""}>
          Read it
        </button>
        <label className="flex items-center gap-1.5">
          <span className="text-soft">Cast by</span>
          <select
            className="field"
            value={ask.list || report?.list || ""}
            onChange={(e) => setAsk({ ...ask, list: e.target.value })}
          >
            {[...cat.castings, ...cat.shipped].map((l) => (
              <option key={l.id} value={l.id}>
                {l.name}
              </option>
            ))}
          </select>
        </label>
        <button type="button" className="button" aria-expanded={editing} onClick={() => setEditing(!editing)}>
          Lists…
        </button>
      </form>
      {editing && <Lists cat={cat} list={ask.list || report?.list || ""} choose={(list) => setAsk({ ...ask, list })} />}
      {!given && (
        <p className="py-6 text-center text-soft">
          Drop a score here, or write an orchestra as librarians do. Each part is given to somebody, with the reason.
        </p>
      )}
      {error && <p className="py-2 text-accent">! {error.message}</p>}
      {report && <UnreadList list={report.unread} />}
      {report && (
        <>
          <div className="min-h-0 flex-1 overflow-y-auto border-line border-y">
            <table className="w-full text-left" aria-label="Casting" aria-busy={isFetching}>
              <thead className="sticky top-0 bg-paper">
                <tr className="text-soft">
                  <th className="py-1 pl-1 font-normal">Part</th>
                  <th className="font-normal">Asks for</th>
                  <th className="font-normal">Played by</th>
                  <th className="font-normal">Because of</th>
                  <th className="font-normal">Lacks</th>
                </tr>
              </thead>
              <tbody>
                {report.parts.map((p) => (
                  <Line
                    key={p.id}
                    cat={cat}
                    part={p}
                    byHand={p.id in ask.hand}
                    choose={(ids) => setAsk({ ...ask, hand: handed(ask.hand, p.id, ids) })}
                  />
                ))}
              </tbody>
            </table>
          </div>
          <form className="mt-2 flex items-center gap-2" onSubmit={(e) => void take(e)}>
            <Sum parts={report.parts} />
            {!wish && (
              <label className="ml-auto flex items-center gap-1.5">
                <span className="text-soft">Into</span>
                <select
                  className="field"
                  value={fresh ? "new" : "this"}
                  onChange={(e) => setFresh(e.target.value === "new")}
                >
                  <option value="this">this template</option>
                  <option value="new">a new template</option>
                </select>
              </label>
            )}
            <label className={`flex items-center gap-1.5 ${wish ? "ml-auto" : ""}`}>
              <span className="text-soft">Call it</span>
              <input
                className="field w-56"
                placeholder={report.title}
                value={name}
                onChange={(e) => setName(e.target.value)}
              />
            </label>
            <button type="submit" className="button button-main">
              Cast it
            </button>
          </form>
        </>
      )}
    </div>
  );
}

interface LineProps {
  cat: Catalogue;
  part: CastPart;
  byHand: boolean;
  choose: (ids: string[] | null) => void;
}

function Line({ cat, part: p, byHand, choose }: LineProps) {
  const is = cat.sounds.find((s) => s.id === p.sound);
  return (
    <tr className="align-top odd:bg-band" data-part-name={p.name}>
      <td className="py-1 pl-1">
        <span className="block font-medium">{p.name}</span>
        <span className="block text-[12px] text-soft">
          {is?.name ?? "not known"}
          {p.players > 1 && ` · ${p.players} players`}
          {p.notes > 0 &&
            ` · ${p.notes.toLocaleString("en")} note${p.notes === 1 ? "" : "s"}, ${keyName(p.low, cat.middleC)} to ${keyName(p.high, cat.middleC)}`}
        </span>
      </td>
      <td className="max-w-[240px] py-1 pr-2 text-soft">
        {p.ways.map((w) => (
          <span
            key={w.name}
            className="mr-2 inline-block"
            title={`${w.notes} notes${w.first ? `, from measure ${w.first}` : ""}`}
          >
            {w.name} <span className="text-[12px]">{w.notes}</span>
          </span>
        ))}
      </td>
      <td className="py-1 pr-2">
        <Who cat={cat} part={p} byHand={byHand} choose={choose} />
      </td>
      <td className="py-1 pr-2 text-soft">{p.why}</td>
      <td className="py-1 pr-1 text-accent">
        {p.lacks.length > 0 && <span className="block">{p.lacks.join(", ")}</span>}
        {p.outside && <span className="block">goes beyond the keys</span>}
      </td>
    </tr>
  );
}

function Sum({ parts }: { parts: CastPart[] }) {
  const fresh = new Set(parts.flatMap((p) => p.chosen.filter((c) => !c.inTemplate).map((c) => c.id)));
  const nobody = parts.filter((p) => p.chosen.length === 0).length;
  const lacking = parts.filter((p) => p.lacks.length > 0).length;
  return (
    <p>
      <b className="font-semibold">{parts.length} parts</b>; {fresh.size} new row{fresh.size === 1 ? "" : "s"}
      {lacking > 0 && `; ${lacking} lack something`}
      {nobody > 0 && <span className="text-accent">; {nobody} without a player</span>}
    </p>
  );
}
