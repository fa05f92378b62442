import { queryOptions, useQuery } from "@tanstack/react-query";
import { ChevronDown, ChevronRight } from "lucide-react";
import { useMemo, useState } from "react";
import { answer, api, type Id, type Schemas } from "../../model/api";
import { at, change, setAside } from "../../model/changing";
import { randomId } from "../../model/sending";
import { lookAside } from "../../model/sight";
import { show, tell, useApp } from "../../model/store";
import { mib, type Sheet, wait } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.dustDialog;

type Dust = Schemas["Dust"];

const dustOf = (id: string, revision: number, since: string) =>
  queryOptions({
    queryKey: ["dust", id, revision, since],
    queryFn: () =>
      answer(
        api.GET("/api/templates/{id}/dust", {
          params: { path: at().params.path, query: since ? { since } : {} },
        }),
      ),
    gcTime: 0,
    retry: false,
  });

/** DustDialog shows what no cue has played, what that costs, and what is always called together. */
export function DustDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [since, setSince] = useState("");
  const { data, error } = useQuery(dustOf(sheet.id, sheet.revision, since));
  return (
    <Floating title={say.dust} open onOpenChange={close} className="w-[760px]">
      <div className="flex items-center gap-2">
        <label htmlFor="dust-since">{say.neverPlayedSince}</label>
        <input
          id="dust-since"
          type="date"
          className="field w-40"
          value={since}
          onChange={(e) => setSince(e.target.value)}
        />
        <span className="text-soft">
          {data ? say.byTheMusicOfCues(data.pieces) : error ? "" : say.listeningThroughTheCues}
        </span>
      </div>
      {error && <p className="mt-2 text-accent">{error.message}</p>}
      {data && data.pieces === 0 && <p className="mt-2 text-soft">{say.noCueHasMusic(!!since)}</p>}
      {data && data.pieces > 0 && <Never key={since + sheet.revision} sheet={sheet} dust={data} />}
      {data && <Aside sheet={sheet} dust={data} close={close} />}
      {data && data.together.length > 0 && <Together sheet={sheet} dust={data} />}
    </Floating>
  );
}

interface Part {
  name: string;
  rows: Dust["rows"];
}

/** Never lists the rows that nobody plays, by their outermost sections. */
function Never({ sheet, dust }: { sheet: Sheet; dust: Dust }) {
  const parts = useMemo(() => partsOf(sheet, dust.rows), [sheet, dust.rows]);
  const [picked, setPicked] = useState<ReadonlySet<Id>>(new Set());
  const [open, setOpen] = useState<ReadonlySet<string>>(new Set());
  const chosen = dust.rows.filter((r) => picked.has(r.id));
  const put = (rows: Dust["rows"], on: boolean) => {
    const next = new Set(picked);
    for (const r of rows) {
      if (on) next.add(r.id);
      else next.delete(r.id);
    }
    setPicked(next);
  };
  if (dust.rows.length === 0) return <p className="mt-2">{say.everyRow}</p>;
  const memory = (rows: Dust["rows"]) => rows.reduce((n, r) => n + r.mib, 0);
  return (
    <>
      <p className="mt-2" data-part="dust-cost">
        {say.rowsCalledTheyCost(
          dust.rows.length,
          dust.machines
            .map((m) => say.and(sheet.machines.byId.get(m.machine)?.name ?? "", mib(m.mib), wait(m.seconds)))
            .join(", "),
        )}
      </p>
      <ul aria-label={say.neverPlayed} className="mt-2 max-h-[34vh] overflow-y-auto border-line border-y">
        {parts.map((p) => {
          const on = p.rows.filter((r) => picked.has(r.id)).length;
          return (
            <li key={p.name}>
              <div className="flex h-[26px] items-center gap-2">
                <input
                  type="checkbox"
                  aria-label={p.name}
                  checked={on === p.rows.length}
                  ref={(e) => {
                    if (e) e.indeterminate = on > 0 && on < p.rows.length;
                  }}
                  onChange={(e) => put(p.rows, e.target.checked)}
                />
                <button
                  type="button"
                  className="flex flex-1 items-center gap-1 text-left font-semibold font-serif"
                  aria-expanded={open.has(p.name)}
                  onClick={() => {
                    const next = new Set(open);
                    if (!next.delete(p.name)) next.add(p.name);
                    setOpen(next);
                  }}
                >
                  {open.has(p.name) ? <ChevronDown size={13} /> : <ChevronRight size={13} />}
                  {p.name}
                </button>
                <span className="text-soft">{say.rows(p.rows.length)}</span>
                <span className="w-24 text-right">{mib(memory(p.rows))}</span>
              </div>
              {open.has(p.name) &&
                p.rows.map((r) => (
                  <label key={r.id} className="ml-6 flex h-6 items-center gap-2">
                    <input type="checkbox" checked={picked.has(r.id)} onChange={(e) => put([r], e.target.checked)} />
                    <span className="min-w-0 flex-1 truncate">{sheet.instruments.byId.get(r.id)?.name}</span>
                    <span className="truncate text-soft">{r.before && say.lastIn(r.before)}</span>
                    <span className="w-24 text-right text-soft">{r.mib > 0 ? mib(r.mib) : say.withAnother}</span>
                  </label>
                ))}
            </li>
          );
        })}
      </ul>
      <div className="mt-2 flex items-center gap-3">
        <button type="button" className="button" onClick={() => put(dust.rows, chosen.length < dust.rows.length)}>
          {chosen.length < dust.rows.length ? say.chooseAll : say.chooseNone}
        </button>
        <span className="text-soft">
          {say.theyKeepTheirSeatsRoutes(chosen.length > 0 ? say.chosen(mib(memory(chosen))) : "")}
        </span>
        <button
          type="button"
          className="button button-main ml-auto shrink-0"
          disabled={chosen.length === 0}
          onClick={() =>
            void setAside(
              chosen.map((r) => r.id),
              true,
            ).then((done) => done && tell(say.rowsSetAside(chosen.length)))
          }
        >
          {chosen.length > 0 ? say.setRowsAside(chosen.length) : say.setAside}
        </button>
      </div>
    </>
  );
}

function partsOf(sheet: Sheet, rows: Dust["rows"]): Part[] {
  const out = new Map<string, Dust["rows"]>();
  for (const r of rows) {
    let section = sheet.sections.byId.get(sheet.instruments.byId.get(r.id)?.section ?? "");
    for (let up = section; up; up = sheet.sections.byId.get(up.parent ?? "")) section = up;
    const name = section?.name ?? "";
    out.set(name, [...(out.get(name) ?? []), r]);
  }
  return [...out].map(([name, rows]) => ({ name, rows }));
}

/** Aside lists what is set aside already, and which of it is asked for. */
function Aside({ sheet, dust, close }: { sheet: Sheet; dust: Dust; close: () => void }) {
  if (dust.aside.length === 0) return null;
  const names = dust.missed.map((id) => sheet.instruments.byId.get(id)?.name).slice(0, 4);
  return (
    <div className="mt-3 flex flex-wrap items-center gap-2 border-line border-t pt-2" data-part="aside">
      <span>{say.rowsSetAsideAlready(dust.aside.length)}</span>
      {dust.missed.length > 0 && (
        <span className="text-accent">
          {say.areAskedForByMusic(
            names.join(", "),
            dust.missed.length > names.length ? say.andMore(dust.missed.length - names.length) : "",
            dust.missed.length,
          )}
        </span>
      )}
      <span className="ml-auto flex gap-2">
        <button
          type="button"
          className="button"
          onClick={() => {
            lookAside();
            show("orchestra");
            close();
          }}
        >
          {say.showThem}
        </button>
        {dust.missed.length > 0 && (
          <button type="button" className="button" onClick={() => void setAside(dust.missed, false)}>
            {say.bringBackWhatIsMissed}
          </button>
        )}
        <button type="button" className="button" onClick={() => void setAside(dust.aside, false)}>
          {say.bringAllBack}
        </button>
      </span>
    </div>
  );
}

/** Together offers rows that always play in the same cues as calls. */
function Together({ sheet, dust }: { sheet: Sheet; dust: Dust }) {
  const taken = new Set([...sheet.calls.byId.values()].map((c) => c.name));
  return (
    <>
      <h3 className="mt-3 font-semibold font-serif">{say.alwaysCalledTogether}</h3>
      <ul aria-label={say.alwaysCalledTogether}>
        {dust.together.map((g) => (
          <li key={g.rows[0]} className="flex h-7 items-center gap-2">
            <span
              className="min-w-0 flex-1 truncate"
              title={g.rows.map((id) => sheet.instruments.byId.get(id)?.name).join(", ")}
            >
              {g.name}
            </span>
            <span className="text-soft">{say.rowsInCues(g.rows.length, g.pieces, mib(g.mib))}</span>
            <button type="button" className="button h-6" onClick={() => void makeCall(free(g.name, taken), g.rows)}>
              {say.makeItACall}
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}

/** free is a name that no call has yet. */
function free(name: string, taken: ReadonlySet<string>): string {
  for (let n = 1; ; n++) {
    const to = n === 1 ? name : `${name} ${n}`;
    if (!taken.has(to)) return to;
  }
}

async function makeCall(name: string, rows: readonly Id[]) {
  const value = { id: `call-${randomId()}`, name, instruments: [...rows] };
  if (await change({ kind: "put", calls: [{ at: -1, value }] })) tell(say.savedAs(name));
}
