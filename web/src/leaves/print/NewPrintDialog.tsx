import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../model/api";
import { printsOf, useLookAgain } from "../../model/prints";
import { toggled } from "../../model/sets";
import { attempt, useApp } from "../../model/store";

import { Floating } from "../../shell/Floating";
import { chosenPrint } from "./chosen";
import { words } from "./words";

const say = words.newPrintDialog;

const rates = [44_100, 48_000, 88_200, 96_000];
const kinds = { "24": say.n24Bits, "16": say.n16Bits, float: say.n32BitsFloatingPoint } as const;

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
    <Floating title={say.printCues} open onOpenChange={close} className="w-[640px]">
      <div className="min-h-0 overflow-y-auto">
        {cues.length === 0 && <p className="text-soft">{say.noCue}</p>}
        <ul aria-label={say.cues} className="max-h-[32vh] overflow-y-auto border-line border-y">
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
          <legend className="mb-1">{say.foldsAndTheMix}</legend>
          {[...sheet.folds.byId.values()].map((f) => (
            <label key={f.id} className="flex items-center gap-1.5">
              <input type="checkbox" checked={folds.has(f.id)} onChange={() => setFolds(toggled(folds, f.id))} />
              {f.name}
            </label>
          ))}
        </fieldset>
        <div className="mt-3 grid grid-cols-[auto_1fr_auto_1fr] items-center gap-x-3 gap-y-2">
          <label htmlFor="print-rate">{say.rate}</label>
          <select id="print-rate" className="field" value={rate} onChange={(e) => setRate(Number(e.target.value))}>
            {rates.map((r) => (
              <option key={r} value={r}>
                {r / 1000} kHz
              </option>
            ))}
          </select>
          <label htmlFor="print-kind">{say.samples}</label>
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
          <label htmlFor="print-dry">{say.sound}</label>
          <select
            id="print-dry"
            className="field"
            value={dry ? "dry" : ""}
            onChange={(e) => setDry(e.target.value === "dry")}
          >
            <option value="">{say.asTheStemsAreDelivered}</option>
            <option value="dry">{say.dryNoRoomsNoReturns}</option>
          </select>
          <span />
          <span />
          <label htmlFor="print-trim">{say.turnAllFilesUpBy}</label>
          <span className="flex items-center gap-1.5">
            <input id="print-trim" className="field w-16" value={trim} onChange={(e) => setTrim(e.target.value)} /> dB
          </span>
          <label htmlFor="print-peak">{say.highestTruePeak}</label>
          <span className="flex items-center gap-1.5">
            <input id="print-peak" className="field w-16" value={peak} onChange={(e) => setPeak(e.target.value)} /> dBTP
          </span>
        </div>
        <div className="mt-3 flex flex-col gap-1">
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={softer} onChange={(e) => setSofter(e.target.checked)} />
            {say.turnAllFilesDownTogether}
          </label>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={leaveOut} onChange={(e) => setLeaveOut(e.target.checked)} />
            {say.leaveOutRowsWhoseSamples}
          </label>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={long} onChange={(e) => setLong(e.target.checked)} />
            {say.alwaysAsRf64Which}
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
          {say.printCuesPicked(picked.size)}
        </button>
      </div>
    </Floating>
  );
}
