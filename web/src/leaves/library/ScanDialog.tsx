import { useQuery, useQueryClient } from "@tanstack/react-query";
import { CornerLeftUp, Folder } from "lucide-react";
import { type FormEvent, useEffect, useState } from "react";
import type { Catalogue } from "../../model/catalogue";
import { folders, type Scan, startScan, stopScan, useScans } from "../../model/scans";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.scanDialog;

/** ScanDialog measures the samples of a folder into a library, and shows how
 * scans go. */
export function ScanDialog({ cat, close }: { cat: Catalogue; close: () => void }) {
  const scans = useScans(cat.id);
  const client = useQueryClient();
  const [machine, setMachine] = useState("");
  const [folder, setFolder] = useState("");
  const [library, setLibrary] = useState("");
  const [preload, setPreload] = useState(64);
  const [zone, setZone] = useState(512);
  const roots = machine ? (scans?.machines.find((m) => m.name === machine)?.roots ?? []) : (scans?.roots ?? []);
  const root = roots.find((r) => folder === r || folder.startsWith(`${r}/`)) ?? "";
  useEffect(() => {
    if (!folder && roots[0]) setFolder(roots[0]);
  }, [folder, roots]);
  const { data: inside, error } = useQuery(folders(machine ? "" : folder));
  const go = (to: string) => {
    setFolder(to);
    const name = to.split("/").at(-1) ?? "";
    if (to !== root && (library === "" || folder.endsWith(library))) setLibrary(name);
  };
  const start = async (e: FormEvent) => {
    e.preventDefault();
    if (await startScan({ folder, library, preloadKib: preload, zoneBytes: zone, ...(machine ? { machine } : {}) }))
      await client.invalidateQueries({ queryKey: ["scans"] });
  };
  if (!scans) return null;
  return (
    <Floating title={say.scanSamples} open onOpenChange={close} className="w-[640px]">
      {scans.roots.length + scans.machines.length === 0 ? (
        <p className="text-soft">
          {say.thisServerHasNoFolder} <code>{say.scanRootFolder}</code>
          {say.orMeasureAFolderAnywhere} <code>{say.fanfoldScanFolderORows}</code> {say.andBringTheListIn}
        </p>
      ) : (
        <form onSubmit={(e) => void start(e)} className="grid grid-cols-[104px_1fr] items-center gap-2">
          <label className="contents">
            <span>{say.on}</span>
            <select
              className="field"
              value={machine}
              onChange={(e) => {
                setMachine(e.target.value);
                setFolder("");
              }}
            >
              <option value="">{say.theServer}</option>
              {scans.machines.map((m) => (
                <option key={m.name} value={m.name}>
                  {m.name}
                </option>
              ))}
            </select>
          </label>
          <label className="contents">
            <span>{say.folder}</span>
            <input
              required
              className="field"
              aria-invalid={error !== null}
              value={folder}
              onChange={(e) => setFolder(e.target.value)}
            />
          </label>
          <span className="self-start pt-1">{say.withinIt}</span>
          {machine && <span className="text-soft">{say.writeTheFolder(machine)}</span>}
          <div className={machine ? "hidden" : "flex max-h-28 flex-wrap gap-1 overflow-y-auto"}>
            {folder !== root && root !== "" && (
              <button type="button" className="button" onClick={() => go(folder.slice(0, folder.lastIndexOf("/")))}>
                <CornerLeftUp size={13} /> {say.up}
              </button>
            )}
            {inside?.map((name) => (
              <button key={name} type="button" className="button" onClick={() => go(`${folder}/${name}`)}>
                <Folder size={13} /> {name}
              </button>
            ))}
            {inside?.length === 0 && <span className="py-1 text-soft">{say.noFolders}</span>}
            {error && <span className="py-1 text-accent">{error.message}</span>}
          </div>
          <label className="contents">
            <span>{say.library}</span>
            <input
              required
              list="libraries"
              className="field"
              placeholder={say.aNameAnExistingLibrary}
              value={library}
              onChange={(e) => setLibrary(e.target.value)}
            />
          </label>
          <datalist id="libraries">
            {cat.libraries.map((l) => (
              <option key={l.id} value={l.name} />
            ))}
          </datalist>
          <label className="contents">
            <span>{say.preload}</span>
            <span className="flex items-center gap-2">
              <input
                type="number"
                min={0}
                className="field w-20 shrink-0"
                value={preload}
                onChange={(e) => setPreload(Number(e.target.value))}
              />
              <span className="text-soft">{say.kibASampleAnd}</span>
              <input
                type="number"
                min={0}
                className="field w-20 shrink-0"
                aria-label={say.bytesForEachZone}
                value={zone}
                onChange={(e) => setZone(Number(e.target.value))}
              />
              <span className="text-soft">{say.bytesAZoneInMemory}</span>
            </span>
          </label>
          <div className="col-span-2 flex justify-end">
            <button type="submit" className="button button-main">
              {say.scanIt}
            </button>
          </div>
        </form>
      )}
      <ul aria-label={say.scans} className="mt-3 flex flex-col gap-2 overflow-y-auto border-line border-t pt-3">
        {scans.scans.map((s) => (
          <ScanLine key={s.id} scan={s} />
        ))}
        {scans.scans.length === 0 && <li className="text-soft">{say.noScanYet}</li>}
      </ul>
    </Floating>
  );
}

const said: Record<Scan["state"], string> = {
  waiting: say.waitingForItsTurn,
  running: say.measuring,
  done: say.done,
  stopped: say.stopped,
  failed: say.failed,
};

function ScanLine({ scan: s }: { scan: Scan }) {
  const busy = s.state === "waiting" || s.state === "running";
  const left = s.leftMs > 1500 ? say.aboutSLeft(Math.ceil(s.leftMs / 1000)) : "";
  return (
    <li data-scan={s.library} data-state={s.state}>
      <div className="flex items-baseline gap-2">
        <b className="font-semibold">{s.library}</b>
        <span className="min-w-0 truncate text-soft" title={s.folder}>
          {s.folder.split("/").at(-1)}
          {s.machine && say.onMachine(s.machine)}
        </span>
        <span className="ml-auto whitespace-nowrap">
          {said[s.state]}
          {busy && s.files > 0 && say.ofFiles(s.done.toLocaleString("en"), s.files.toLocaleString("en"), left)}
          {s.state === "done" && say.patches(s.patches)}
        </span>
        {busy && (
          <button type="button" className="button" onClick={() => void stopScan(s.id)}>
            {say.stop}
          </button>
        )}
      </div>
      {busy && (
        <div
          role="progressbar"
          aria-label={say.scanOf(s.library)}
          aria-valuemin={0}
          aria-valuemax={100}
          aria-valuenow={s.files ? Math.round((100 * s.done) / s.files) : 0}
          className="mt-1 h-1.5 rounded-[2px] border border-line"
        >
          <div className="h-full bg-ink" style={{ width: `${s.files ? (100 * s.done) / s.files : 0}%` }} />
        </div>
      )}
      {s.reason && <p className={s.state === "failed" ? "text-accent" : "text-soft"}>{s.reason}.</p>}
      {s.brokenCount > 0 && (
        <details>
          <summary className="cursor-default text-accent">{say.filesCouldNotBeRead(s.brokenCount)}</summary>
          <ul className="max-h-40 overflow-y-auto">
            {s.broken.map((b) => (
              <li key={b.file} className="py-0.5">
                <b className="font-medium">{b.file}</b> <span className="text-soft">{b.reason}</span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </li>
  );
}
