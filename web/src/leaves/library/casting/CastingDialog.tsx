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
import { words } from "../words";
import { Lists } from "./Lists";
import { Who } from "./Who";

const say = words.castingCastingDialog;

/** CastingDialog casts a score, from a file or a line, with a list of
 * preferences, and lays it down as rows and a call. */
export function CastingDialog({ close }: { close: () => void }) {
  const cat = useCatalogue();
  if (!cat) return null;
  return (
    <Floating title={say.castAScore} open onOpenChange={close} className="w-[1120px]">
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
    tell(say.isCastTheCall(name || done.title));
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
          {ask.file ? ask.file.name : say.chooseAMusicxmlFile}
          <input
            type="file"
            className="sr-only"
            accept=".musicxml,.mxl,.xml"
            aria-label={say.score}
            onChange={(e) => open(e.target.files?.[0])}
          />
        </label>
        <span className="pb-1 text-soft">{say.orALine}</span>
        <input
          className="field min-w-60 flex-1"
          aria-label={say.orchestraInALine}
          placeholder={say.n212Pic2}
          value={line}
          onChange={(e) => setLine(e.target.value)}
        />
        <button type="submit" className="button" disabled={line.trim() === ""}>
          {say.readIt}
        </button>
        <label className="flex items-center gap-1.5">
          <span className="text-soft">{say.castBy}</span>
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
          {say.lists}
        </button>
      </form>
      {editing && <Lists cat={cat} list={ask.list || report?.list || ""} choose={(list) => setAsk({ ...ask, list })} />}
      {!given && <p className="py-6 text-center text-soft">{say.dropAScoreHere}</p>}
      {error && <p className="py-2 text-accent">! {error.message}</p>}
      {report && <UnreadList list={report.unread} />}
      {report && (
        <>
          <div className="min-h-0 flex-1 overflow-y-auto border-line border-y">
            <table className="w-full text-left" aria-label={say.casting} aria-busy={isFetching}>
              <thead className="sticky top-0 bg-paper">
                <tr className="text-soft">
                  <th className="py-1 pl-1 font-normal">{say.part}</th>
                  <th className="font-normal">{say.asksFor}</th>
                  <th className="font-normal">{say.playedBy}</th>
                  <th className="font-normal">{say.becauseOf}</th>
                  <th className="font-normal">{say.lacks}</th>
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
                <span className="text-soft">{say.into}</span>
                <select
                  className="field"
                  value={fresh ? "new" : "this"}
                  onChange={(e) => setFresh(e.target.value === "new")}
                >
                  <option value="this">{say.thisTemplate}</option>
                  <option value="new">{say.aNewTemplate}</option>
                </select>
              </label>
            )}
            <label className={`flex items-center gap-1.5 ${wish ? "ml-auto" : ""}`}>
              <span className="text-soft">{say.callIt}</span>
              <input
                className="field w-56"
                placeholder={report.title}
                value={name}
                onChange={(e) => setName(e.target.value)}
              />
            </label>
            <button type="submit" className="button button-main">
              {say.castIt}
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
          {is?.name ?? say.notKnown}
          {p.players > 1 && say.players(p.players)}
          {p.notes > 0 && say.noteTo(p.notes, keyName(p.low, cat.middleC), keyName(p.high, cat.middleC))}
        </span>
      </td>
      <td className="max-w-[240px] py-1 pr-2 text-soft">
        {p.ways.map((w) => (
          <span
            key={w.name}
            className="mr-2 inline-block"
            title={say.notes(w.notes, w.first ? say.fromMeasure(w.first) : "")}
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
        {p.outside && <span className="block">{say.goesBeyondTheKeys}</span>}
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
      <b className="font-semibold">{say.parts(parts.length)}</b>
      {say.newRows(fresh.size)}
      {lacking > 0 && say.lackSomething(lacking)}
      {nobody > 0 && <span className="text-accent">{say.withoutAPlayer(nobody)}</span>}
    </p>
  );
}
