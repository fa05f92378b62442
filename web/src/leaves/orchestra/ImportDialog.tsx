import { useEffect, useState } from "react";
import { answer, api, fileBody, Refusal, type Schemas } from "../../model/api";
import { furnish } from "../../model/furnishing";
import { attempt, get, tell, useApp } from "../../model/store";
import { ChooseFile } from "../../parts/ChooseFile";
import { type Decimal, DecimalChoice } from "../../parts/DecimalChoice";
import { ToldList } from "../../parts/ToldList";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.importDialog;

type Report = Schemas["ImportReport"];

/** ImportDialog brings in a row list: columns as matched, the rest offered
 * for mapping, problems by line and column, then all good rows in one change. */
export function ImportDialog({ close }: { close: () => void }) {
  const dropped = useApp((s) => s.importing);
  const [file, setFile] = useState<File | null>(dropped);
  const [mapping, setMapping] = useState<Record<string, string>>({});
  const [middleC, setMiddleC] = useState(4);
  const [decimal, setDecimal] = useState<Decimal>("");
  const [unsure, setUnsure] = useState<Schemas["Doubt"] | undefined>();
  const [report, setReport] = useState<Report | null>(null);
  const [wrong, setWrong] = useState("");
  const [busy, setBusy] = useState(false);

  useEffect(() => {
    if (!file) return;
    let current = true;
    setWrong("");
    send(file, mapping, middleC, decimal, false)
      .then((r) => {
        if (!current) return;
        setReport(r);
        if (decimal === "") setUnsure(r.unsure);
      })
      .catch((e) => {
        if (!(e instanceof Refusal)) throw e;
        if (current) setWrong(e.problem.detail);
      });
    return () => {
      current = false;
    };
  }, [file, mapping, middleC, decimal]);

  const take = async () => {
    setBusy(true);
    const done = await attempt(() => send(file!, mapping, middleC, decimal, true));
    setBusy(false);
    if (!done) return;
    tell(say.took(done.instruments, done.problems.length ? say.problemsAreLeftOut(done.problems.length) : ""));
    const wish = get().furnishing;
    close();
    if (wish) await furnish(wish);
  };
  const choose = (f: File | undefined) => {
    setReport(null);
    setMapping({});
    setDecimal("");
    setFile(f ?? null);
  };

  return (
    <Floating title={say.bringInARowList} open onOpenChange={close} className="w-[820px]">
      <div className="mb-3 flex items-center gap-3">
        <ChooseFile accept=".csv,.tsv,.txt" take={choose}>
          {file ? say.anotherFile : say.chooseAFile}
        </ChooseFile>
        <span className="truncate">{file?.name ?? say.csvOneRowAnInstrument}</span>
        <label className="ml-auto flex items-center gap-2 text-soft">
          {say.midiNote60IsWritten}
          <select className="field" value={middleC} onChange={(e) => setMiddleC(Number(e.target.value))}>
            <option value={4}>{say.c4}</option>
            <option value={3}>{say.c3}</option>
          </select>
        </label>
      </div>
      {wrong && (
        <p role="alert" className="mb-3 border-accent border-l-4 pl-3">
          {wrong}
        </p>
      )}
      {unsure && <DecimalChoice unsure={unsure} decimal={decimal} choose={setDecimal} />}
      {report && <Columns report={report} mapping={mapping} setMapping={setMapping} />}
      {report && <Preview report={report} />}
      <div className="mt-3 flex items-center justify-end gap-2">
        <button type="button" className="button" onClick={close}>
          {say.cancel}
        </button>
        <button
          type="button"
          className="button button-main"
          disabled={!report || report.instruments === 0 || busy || wrong !== ""}
          onClick={() => void take()}
        >
          {report ? say.take(report.instruments) : say.Take}
        </button>
      </div>
    </Floating>
  );
}

function send(
  file: File,
  mapping: Record<string, string>,
  middleC: number,
  decimal: Decimal,
  take: boolean,
): Promise<Report> {
  const query = {
    take,
    middleC,
    ...(get().furnishing?.fill ? { free: true } : {}),
    ...(decimal ? { decimal } : {}),
    ...(Object.keys(mapping).length ? { mapping: JSON.stringify(mapping) } : {}),
  };
  return answer(
    api.POST("/api/templates/{id}/import", {
      params: { path: { id: get().sheet!.id }, query },
      ...fileBody(file),
    }),
  );
}

interface ColumnsProps {
  report: Report;
  mapping: Record<string, string>;
  setMapping: (m: Record<string, string>) => void;
}

function Columns({ report, mapping, setMapping }: ColumnsProps) {
  return (
    <fieldset className="mb-3">
      <legend className="mb-1 font-semibold font-serif text-[14px]">{say.columns}</legend>
      <div className="grid max-h-40 grid-cols-3 gap-x-4 gap-y-1 overflow-y-auto">
        {report.headings.map((h) => {
          const column = report.mapping[h] ?? "";
          return (
            <label key={h} className="flex items-center gap-2">
              <span className={`flex-1 truncate ${column ? "" : "text-accent"}`} title={h}>
                {h}
              </span>
              <select
                aria-label={say.readAs(h)}
                className="field w-32"
                value={column}
                onChange={(e) => setMapping({ ...mapping, [h]: e.target.value })}
              >
                <option value="">{say.notRead}</option>
                {report.columns.map((c) => (
                  <option key={c} value={c} disabled={c !== column && Object.values(report.mapping).includes(c)}>
                    {c}
                  </option>
                ))}
              </select>
            </label>
          );
        })}
      </div>
    </fieldset>
  );
}

function Preview({ report }: { report: Report }) {
  const made: [string, string, string[]][] = [
    [say.section, say.sections, report.sections],
    [say.stem, say.stems, report.stems],
    [say.group, say.groups, report.groups],
    [say.library, say.libraries, report.libraries],
    [say.player, say.players, report.players],
    [say.machine, say.machines, report.machines],
  ];
  return (
    <div className="min-h-0 flex-1 overflow-y-auto" data-part="preview">
      <p className="mb-2">{say.goodRows(report.instruments)}</p>
      {made.map(([one, many, names]) =>
        names.length > 0 ? (
          <p key={one} className="truncate" title={names.join(", ")}>
            {say.new(names.length === 1 ? one : `${many}, ${names.length}`)}{" "}
            <span className="text-soft">{names.join(", ")}</span>
          </p>
        ) : null,
      )}
      {report.stated.map((s) => (
        <p key={s} className="text-soft">
          {s}
        </p>
      ))}
      {report.sample.length > 0 && (
        <table className="my-2 w-full text-left">
          <tbody>
            {report.sample.map((r) => (
              <tr key={r.line} className="border-line border-b">
                <td className="w-10 text-soft">{r.line}</td>
                <td>{r.section}</td>
                <td className="font-medium">{r.instrument}</td>
                <td>{r.library}</td>
                <td>{r.stem}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <ToldList told={report.told} />
      {report.problems.length > 0 && (
        <>
          <h3 className="mt-3 mb-1 text-[14px]">{say.problemsTheseRowsAreLeft(report.problems.length)}</h3>
          <ul data-part="problems">
            {report.problems.slice(0, 200).map((p, n) => (
              <li key={`${p.line} ${p.column} ${n}`} className="flex gap-3 border-line border-b py-0.5">
                <span className="w-16 shrink-0 text-soft">{say.line(p.line)}</span>
                <span className="w-24 shrink-0">{p.column}</span>
                <span>{p.reason}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}
