import { useEffect, useState } from "react";
import { Refusal } from "../../model/api";
import { type SpottingReport, spot } from "../../model/film";
import { attempt, tell, useApp } from "../../model/store";

import { ChooseFile } from "../../parts/ChooseFile";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.spotDialog;

/** SpotDialog brings in a list of cues: its columns as they were matched, what is wrong by line,
 * then all good lines in one change. */
export function SpotDialog({ close }: { close: () => void }) {
  const [file, setFile] = useState(useApp((s) => s.importing)); // one that was dropped
  const [mapping, setMapping] = useState<Record<string, string>>({});
  const [report, setReport] = useState<SpottingReport | null>(null);
  const [wrong, setWrong] = useState("");
  useEffect(() => {
    if (!file) return;
    let current = true;
    setWrong("");
    spot(file, mapping, false)
      .then((r) => current && setReport(r))
      .catch((e) => {
        if (!(e instanceof Refusal)) throw e;
        if (current) setWrong(e.problem.detail);
      });
    return () => {
      current = false;
    };
  }, [file, mapping]);
  const take = async () => {
    const done = await attempt(() => spot(file!, mapping, true));
    if (!done) return;
    tell(`${say.newCues(done.new)}${done.changed > 0 ? say.changed(done.changed) : ""}.`);
    close();
  };
  const good = report ? report.new + report.changed : 0;
  return (
    <Floating title={say.bringInAList} open onOpenChange={close} className="w-[680px]">
      <div className="mb-3 flex items-center gap-3">
        <ChooseFile
          accept=".csv,.tsv,.txt"
          take={(f) => {
            setReport(null);
            setMapping({});
            setFile(f);
          }}
        >
          {file ? say.anotherFile : say.chooseAFile}
        </ChooseFile>
        <span className="truncate">{file?.name ?? say.csvOneLineACue}</span>
      </div>
      {wrong && (
        <p role="alert" className="mb-3 border-accent border-l-4 pl-3">
          {wrong}
        </p>
      )}
      {report && (
        <>
          <fieldset className="mb-3">
            <legend className="mb-1 font-semibold font-serif text-[14px]">{say.columns}</legend>
            <div className="grid max-h-40 grid-cols-2 gap-x-4 gap-y-1 overflow-y-auto">
              {report.headings.map((h) => (
                <label key={h} className="flex items-center gap-2">
                  <span className={`flex-1 truncate ${report.mapping[h] ? "" : "text-accent"}`} title={h}>
                    {h}
                  </span>
                  <select
                    aria-label={say.readAs(h)}
                    className="field w-32"
                    value={mapping[h] ?? report.mapping[h] ?? ""}
                    onChange={(e) => setMapping({ ...mapping, [h]: e.target.value })}
                  >
                    <option value="">{say.leaveOut}</option>
                    {report.columns.map((c) => (
                      <option key={c}>{c}</option>
                    ))}
                  </select>
                </label>
              ))}
            </div>
          </fieldset>
          <p data-part="spotted">
            {say.newCues(report.new)}
            {report.changed > 0 && say.thatTheProduction(report.changed)}
            {report.reels.length > 0 && say.reelsMade(report.reels.length, report.reels.join(", "))}
          </p>
          {report.problems.length > 0 && (
            <ul className="mt-2 max-h-40 overflow-y-auto" aria-label={say.whatCannotBeTaken}>
              {report.problems.map((p) => (
                <li key={`${p.line} ${p.reason}`} className="text-accent">
                  {say.line(p.line, p.reason)}
                </li>
              ))}
            </ul>
          )}
        </>
      )}
      <div className="mt-3 flex justify-end gap-2">
        <button type="button" className="button" onClick={close}>
          {say.cancel}
        </button>
        <button
          type="button"
          className="button button-main"
          disabled={good === 0 || wrong !== ""}
          onClick={() => void take()}
        >
          {good > 0 ? say.takeCues(good) : say.take}
        </button>
      </div>
    </Floating>
  );
}
