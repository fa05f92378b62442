import { useQuery, useQueryClient } from "@tanstack/react-query";
import { CornerLeftUp, Folder } from "lucide-react";
import { type FormEvent, useEffect, useState } from "react";
import type { Catalogue } from "../../model/catalogue";
import { folders, type Scan, startScan, stopScan, useScans } from "../../model/scans";
import { Floating } from "../../shell/Floating";

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
    <Floating title="Scan samples" open onOpenChange={close} className="w-[640px]">
      {scans.roots.length + scans.machines.length === 0 ? (
        <p className="text-soft">
          This server has no folder to scan yet. Start it with <code>--scan-root FOLDER</code>, or measure a folder
          anywhere with <code>fanfold scan FOLDER -o rows.csv</code> and bring the list in.
        </p>
      ) : (
        <form onSubmit={(e) => void start(e)} className="grid grid-cols-[104px_1fr] items-center gap-2">
          <label className="contents">
            <span>On</span>
            <select
              className="field"
              value={machine}
              onChange={(e) => {
                setMachine(e.target.value);
                setFolder("");
              }}
            >
              <option value="">the server</option>
              {scans.machines.map((m) => (
                <option key={m.name} value={m.name}>
                  {m.name}
                </option>
              ))}
            </select>
          </label>
          <label className="contents">
            <span>Folder</span>
            <input
              required
              className="field"
              aria-invalid={error !== null}
              value={folder}
              onChange={(e) => setFolder(e.target.value)}
            />
          </label>
          <span className="self-start pt-1">Within it</span>
          {machine && <span className="text-soft">Write the folder on {machine}; its host looks there.</span>}
          <div className={machine ? "hidden" : "flex max-h-28 flex-wrap gap-1 overflow-y-auto"}>
            {folder !== root && root !== "" && (
              <button type="button" className="button" onClick={() => go(folder.slice(0, folder.lastIndexOf("/")))}>
                <CornerLeftUp size={13} /> Up
              </button>
            )}
            {inside?.map((name) => (
              <button key={name} type="button" className="button" onClick={() => go(`${folder}/${name}`)}>
                <Folder size={13} /> {name}
              </button>
            ))}
            {inside?.length === 0 && <span className="py-1 text-soft">no folders</span>}
            {error && <span className="py-1 text-accent">{error.message}</span>}
          </div>
          <label className="contents">
            <span>Library</span>
            <input
              required
              list="libraries"
              className="field"
              placeholder="a name; an existing library is added to"
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
            <span>Preload</span>
            <span className="flex items-center gap-2">
              <input
                type="number"
                min={0}
                className="field w-20 shrink-0"
                value={preload}
                onChange={(e) => setPreload(Number(e.target.value))}
              />
              <span className="text-soft">KiB a sample, and</span>
              <input
                type="number"
                min={0}
                className="field w-20 shrink-0"
                aria-label="Bytes for each zone"
                value={zone}
                onChange={(e) => setZone(Number(e.target.value))}
              />
              <span className="text-soft">bytes a zone, in memory when ready</span>
            </span>
          </label>
          <div className="col-span-2 flex justify-end">
            <button type="submit" className="button button-main">
              Scan it
            </button>
          </div>
        </form>
      )}
      <ul aria-label="Scans" className="mt-3 flex flex-col gap-2 overflow-y-auto border-line border-t pt-3">
        {scans.scans.map((s) => (
          <ScanLine key={s.id} scan={s} />
        ))}
        {scans.scans.length === 0 && <li className="text-soft">No scan yet.</li>}
      </ul>
    </Floating>
  );
}

const said: Record<Scan["state"], string> = {
  waiting: "waiting for its turn",
  running: "measuring",
  done: "done",
  stopped: "stopped",
  failed: "failed",
};

function ScanLine({ scan: s }: { scan: Scan }) {
  const busy = s.state === "waiting" || s.state === "running";
  const left = s.leftMs > 1500 ? `, about ${Math.ceil(s.leftMs / 1000)} s left` : "";
  return (
    <li data-scan={s.library} data-state={s.state}>
      <div className="flex items-baseline gap-2">
        <b className="font-semibold">{s.library}</b>
        <span className="min-w-0 truncate text-soft" title={s.folder}>
          {s.folder.split("/").at(-1)}
          {s.machine && ` on ${s.machine}`}
        </span>
        <span className="ml-auto whitespace-nowrap">
          {said[s.state]}
          {busy && s.files > 0 && `: ${s.done.toLocaleString("en")} of ${s.files.toLocaleString("en")} files${left}`}
          {s.state === "done" && `: ${s.patches.toLocaleString("en")} patch${s.patches === 1 ? "" : "es"}`}
        </span>
        {busy && (
          <button type="button" className="button" onClick={() => void stopScan(s.id)}>
            Stop
          </button>
        )}
      </div>
      {busy && (
        <div
          role="progressbar"
          aria-label={`Scan of ${s.library}`}
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
          <summary className="cursor-default text-accent">
            ! {s.brokenCount.toLocaleString("en")} file{s.brokenCount === 1 ? "" : "s"} could not be read
          </summary>
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
