import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../model/api";
import { type Over, overOf } from "../../model/over";
import { printsOf, useLookAgain } from "../../model/prints";
import { toggled } from "../../model/sets";
import { attempt, useApp } from "../../model/store";
import { type Sheet, topOf } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { unprint } from "../calls/PrintDialog";
import { chosenPrint } from "./chosen";
import { words } from "./words";

const say = words.recordOverDialog;

type Id = Schemas["Id"];

interface Part {
  id: Id;
  name: string;
  rows: readonly Id[]; // that play patches
  over: readonly Over[]; // of them, that were recorded over
}

/** partsOf are the sections that stand by themselves, with the rows in them and below. */
function partsOf(sheet: Sheet, over: readonly Over[]): Part[] {
  const rows = new Map<Id, Id[]>();
  for (const i of sheet.instruments.byId.values()) {
    const at = topOf(sheet, i.section);
    if (i.kind !== "sampled" || i.aside) continue;
    rows.set(at, [...(rows.get(at) ?? []), i.id]);
  }
  const known = new Map(over.map((o) => [o.row, o]));
  return sheet.sections.order
    .map((id) => sheet.sections.byId.get(id)!)
    .filter((s) => !s.parent && rows.has(s.id))
    .map((s) => {
      const list = rows.get(s.id)!;
      return { id: s.id, name: s.name, rows: list, over: list.flatMap((id) => known.get(id) ?? []) };
    });
}

/** RecordOverDialog has sections play recordings of their own sound in a cue, and back. */
export function RecordOverDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const lookAgain = useLookAgain(sheet.id);
  const { data } = useQuery(printsOf(sheet.id));
  const { data: recorded } = useQuery(overOf(sheet.id, sheet.revision));
  const cues = (data?.cues ?? []).filter((c) => !c.why);
  const [at, setAt] = useState("");
  const [picked, setPicked] = useState<ReadonlySet<Id>>(new Set());
  const cue = cues.find((c) => c.production + c.cue === at) ?? cues[0];
  const parts = partsOf(sheet, recorded?.rows ?? []);
  const rows = parts.filter((p) => picked.has(p.id)).flatMap((p) => p.rows);
  const go = async () => {
    if (!cue) return;
    const body = { production: cue.production, cue: cue.cue, rows };
    const made = await attempt(() =>
      answer(api.POST("/api/templates/{id}/over", { params: { path: { id: sheet.id } }, body })),
    );
    await lookAgain();
    if (!made) return;
    chosenPrint.setState({ id: made.id, delivery: null, against: null });
    close();
  };
  return (
    <Floating title={say.recordOver} open onOpenChange={close} className="w-[680px]">
      <p>{say.eachRowsOwnSound}</p>
      <div className="mt-3 flex items-center gap-2">
        <label htmlFor="over-cue">{say.cue}</label>
        <select
          id="over-cue"
          className="field flex-1"
          value={cue ? cue.production + cue.cue : ""}
          onChange={(e) => setAt(e.target.value)}
        >
          {cues.length === 0 && <option value="">{say.noCueOfThisTemplate}</option>}
          {cues.map((c) => (
            <option key={c.production + c.cue} value={c.production + c.cue}>
              {c.called}, {c.productionName}
            </option>
          ))}
        </select>
      </div>
      <ul aria-label={say.sections} className="mt-3 min-h-0 overflow-y-auto border-line border-y">
        {parts.map((p) => (
          <li key={p.id} className="flex min-h-[30px] items-center gap-2 py-0.5" data-section={p.name}>
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={picked.has(p.id)} onChange={() => setPicked(toggled(picked, p.id))} />
              {p.name}
            </label>
            <span className="text-soft">{say.rows(p.rows.length)}</span>
            {p.over.length > 0 && <Recorded over={p.over} />}
          </li>
        ))}
      </ul>
      <div className="mt-3 flex justify-end">
        <button
          type="button"
          className="button button-main"
          disabled={!cue || rows.length === 0}
          onClick={() => void go()}
        >
          {say.recordOverSections(picked.size)}
        </button>
      </div>
    </Floating>
  );
}

const mibInGib = 1024;

function Recorded({ over }: { over: readonly Over[] }) {
  const stale = over.filter((o) => o.why);
  const cues = [...new Set(over.map((o) => o.cue || say.aCueNoLongerThere))].join(", ");
  const freed = over.reduce((n, o) => n + o.mib, 0) / mibInGib;
  return (
    <>
      <span className={`ml-auto truncate ${stale.length > 0 ? "text-accent" : "text-soft"}`} title={stale[0]?.why}>
        {stale.length > 0
          ? say.recordingsStale(stale.length)
          : say.recordedOverInGibSaved(over.length, cues, freed.toFixed(1))}
      </span>
      <button type="button" className="button h-6 shrink-0" onClick={() => void unprint(over.map((o) => o.row))}>
        {say.letThemPlayAgain}
      </button>
    </>
  );
}
