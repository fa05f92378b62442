import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../model/api";
import { printsOf, useLookAgain } from "../../model/prints";
import { toggled } from "../../model/sets";
import { attempt, useApp } from "../../model/store";
import { plural } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { chosenPrint } from "./chosen";

const rates = [44_100, 48_000, 88_200, 96_000];
const kinds = { "24": "24 bits", "16": "16 bits", float: "32 bits, floating point" } as const;

/** NewPrintDialog queues the prints of cues. */
export function NewPrintDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const lookAgain = useLookAgain(sheet.id);
  const { data } = useQuery(printsOf(sheet.id));
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [folds, setFolds] = useState<ReadonlySet<string>>(new Set(sheet.folds.order));
  const [asked, setRate] = useState<number | null>(null);
  const [kind, setKind] = useState<keyof typeof kinds>("24");
  const [trim, setTrim] = useState("0");
  const [peak, setPeak] = useState("-1");
  const [softer, setSofter] = useState(true);
  const [leaveOut, setLeaveOut] = useState(false);
  const [long, setLong] = useState(false);
  const [dry, setDry] = useState(false);
  const cues = data?.cues ?? [];
  const of = cues.find((c) => picked.has(c.production + c.cue)) ?? cues[0];
  const rate = asked ?? rates.find((r) => r === of?.rateHz) ?? 48_000;
  const go = async () => {
    const done = await attempt(async () => {
      for (const c of cues.filter((x) => picked.has(x.production + x.cue))) {
        const made = await answer(
          api.POST("/api/templates/{id}/prints", {
            params: { path: { id: sheet.id } },
            body: {
              production: c.production,
              cue: c.cue,
              folds: folds.size === sheet.folds.order.length ? [] : [...folds],
              rateHz: rate,
              samples: kind,
              trimDb: Number(trim) || 0,
              peakDb: Number(peak) || 0,
              softer,
              leaveOut,
              long,
              dry,
            },
          }),
        );
        chosenPrint.setState({ id: made.id, delivery: null, against: null });
      }
      return true;
    });
    await lookAgain();
    if (done) close();
  };
  return (
    <Floating title="Print cues" open onOpenChange={close} className="w-[640px]">
      <div className="min-h-0 overflow-y-auto">
        {cues.length === 0 && <p className="text-soft">No cue is of this template yet. Start one in Cues.</p>}
        <ul aria-label="Cues" className="max-h-[32vh] overflow-y-auto border-line border-y">
          {cues.map((c) => (
            <li key={c.production + c.cue} className="flex h-[26px] items-center gap-2">
              <label className={`flex items-center gap-2 ${c.why ? "text-soft" : ""}`}>
                <input
                  type="checkbox"
                  disabled={c.why !== undefined}
                  checked={picked.has(c.production + c.cue)}
                  onChange={() => setPicked(toggled(picked, c.production + c.cue))}
                />
                {c.called}
              </label>
              <span className="ml-auto truncate text-soft">{c.why ?? c.productionName}</span>
            </li>
          ))}
        </ul>
        <fieldset className="mt-3 flex flex-wrap gap-x-4 gap-y-1">
          <legend className="mb-1">Folds, and the mix</legend>
          {[...sheet.folds.byId.values()].map((f) => (
            <label key={f.id} className="flex items-center gap-1.5">
              <input type="checkbox" checked={folds.has(f.id)} onChange={() => setFolds(toggled(folds, f.id))} />
              {f.name}
            </label>
          ))}
        </fieldset>
        <div className="mt-3 grid grid-cols-[auto_1fr_auto_1fr] items-center gap-x-3 gap-y-2">
          <label htmlFor="print-rate">Rate</label>
          <select id="print-rate" className="field" value={rate} onChange={(e) => setRate(Number(e.target.value))}>
            {rates.map((r) => (
              <option key={r} value={r}>
                {r / 1000} kHz
              </option>
            ))}
          </select>
          <label htmlFor="print-kind">Samples</label>
          <select
            id="print-kind"
            className="field"
            value={kind}
            onChange={(e) => setKind(e.target.value as keyof typeof kinds)}
          >
            {Object.entries(kinds).map(([k, name]) => (
              <option key={k} value={k}>
                {name}
              </option>
            ))}
          </select>
          <label htmlFor="print-dry">Sound</label>
          <select
            id="print-dry"
            className="field"
            value={dry ? "dry" : ""}
            onChange={(e) => setDry(e.target.value === "dry")}
          >
            <option value="">as the stems are delivered</option>
            <option value="dry">dry: no rooms, no returns</option>
          </select>
          <span />
          <span />
          <label htmlFor="print-trim">Turn all files up by</label>
          <span className="flex items-center gap-1.5">
            <input id="print-trim" className="field w-16" value={trim} onChange={(e) => setTrim(e.target.value)} /> dB
          </span>
          <label htmlFor="print-peak">Highest true peak</label>
          <span className="flex items-center gap-1.5">
            <input id="print-peak" className="field w-16" value={peak} onChange={(e) => setPeak(e.target.value)} /> dBTP
          </span>
        </div>
        <div className="mt-3 flex flex-col gap-1">
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={softer} onChange={(e) => setSofter(e.target.checked)} />
            Turn all files down together, as far as it takes to keep every peak below full scale
          </label>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={leaveOut} onChange={(e) => setLeaveOut(e.target.checked)} />
            Leave out rows whose samples are missing; otherwise nothing is printed
          </label>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={long} onChange={(e) => setLong(e.target.checked)} />
            Always as RF64, which has no limit of 4 GiB
          </label>
        </div>
      </div>
      <div className="mt-3 flex justify-end gap-2">
        <button
          type="button"
          className="button button-main"
          disabled={picked.size === 0 || folds.size === 0}
          onClick={() => void go()}
        >
          Print {plural(picked.size, "cue")}
        </button>
      </div>
    </Floating>
  );
}
