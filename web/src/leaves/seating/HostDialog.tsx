import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../model/api";
import { makeCredential, usualDays } from "../../model/hosts";
import { attempt, get, useApp } from "../../model/store";
import { gib, when } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { shownOnce } from "./HostCommand";
import { words } from "./words";

const say = words.hostDialog;

/** How often the host is looked at while the dialog is open, ms. */
const every = 1000;

/** HostDialog is one machine as its host tells of it: what it is, what it holds
 * and held, and the credentials it dials in with. */
export function HostDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const machine = sheet.machines.byId.get(useApp((s) => s.machine) ?? "");
  const [command, setCommand] = useState("");
  const { data, refetch } = useQuery({
    queryKey: ["host", sheet.id, machine?.id],
    queryFn: () =>
      answer(
        api.GET("/api/templates/{id}/machines/{machine}/host", {
          params: { path: { id: get().sheet!.id, machine: machine!.id } },
        }),
      ),
    enabled: machine !== undefined,
    refetchInterval: every,
    placeholderData: keepPreviousData,
  });
  const [days, setDays] = useState(usualDays);
  if (!machine) return null;
  const make = async () => {
    const made = await makeCredential(machine.id, days);
    if (made) setCommand(made.command);
    void refetch();
  };
  const revoke = async (credential: string) => {
    await attempt(() =>
      answer(api.DELETE("/api/machines/credential/{credential}", { params: { path: { credential } } })),
    );
    void refetch();
  };
  return (
    <Floating title={say.theHostOn(machine.name)} open onOpenChange={close} className="w-[680px]">
      <div className="flex min-h-0 flex-col gap-4 overflow-y-auto" data-part="host">
        {data && <Told host={data} />}
        {data && data.history.length > 1 && (
          <div className="grid grid-cols-2 gap-4">
            <Past
              title={say.memory}
              unit={(x) => `${gib(x)} GiB`}
              top={data.memoryMib}
              points={data.history.map((h) => ({ ago: h.ago, value: h.usedMib }))}
            />
            <Past
              title={say.voices}
              unit={(x) => x.toFixed(0)}
              top={Math.max(8, ...data.history.map((h) => h.voices))}
              points={data.history.map((h) => ({ ago: h.ago, value: h.voices }))}
            />
          </div>
        )}
        <section>
          <h3 className="mb-1 flex items-center text-[15px]">
            {say.credentials}
            <select
              className="field ml-auto font-normal font-sans text-[13px]"
              aria-label={say.howLongACredential}
              value={days}
              onChange={(e) => setDays(Number(e.target.value))}
            >
              <option value={usualDays}>{say.goodForAYear}</option>
              <option value={90}>{say.goodFor90Days}</option>
              <option value={0}>{say.noEndDate}</option>
            </select>
            <button type="button" className="button ml-2 font-normal font-sans text-[13px]" onClick={() => void make()}>
              {say.makeOne}
            </button>
          </h3>
          {command && (
            <>
              <p className="mb-1">{say.runThisOn(machine.name, shownOnce)}</p>
              <pre className="mb-2 select-all whitespace-pre-wrap break-all rounded-[3px] bg-spine p-3">{command}</pre>
            </>
          )}
          {data?.credentials.length === 0 && <p className="text-soft">{say.noneYetNoHostCan}</p>}
          {data?.credentials.map((c) => (
            <div key={c.id} className="flex h-8 items-center gap-3 border-line border-t" data-credential={c.id}>
              <span>{say.made(when(c.created))}</span>
              <span className="text-soft">{c.seen ? say.heard(when(c.seen)) : say.neverConnected}</span>
              <span className="text-soft">{c.ends ? say.ends(when(c.ends)) : say.noEndDate}</span>
              <button type="button" className="link ml-auto h-6" onClick={() => void revoke(c.id)}>
                {say.revoke}
              </button>
            </div>
          ))}
        </section>
      </div>
    </Floating>
  );
}

function Told({ host: h }: { host: Schemas["Host"] }) {
  const learned = h.measured === 0 ? say.nothingMeasuredYet : say.timesTheComputedTime(h.factor.toFixed(2), h.measured);
  const rows: [string, string][] = [
    [say.state, h.online ? say.here : h.seen ? say.awayLastHeard(when(h.seen)) : say.neverConnected],
    [say.program, h.version || say.notSaid],
    [say.cores, h.cores ? String(h.cores) : say.notSaid],
    [say.memory, say.ofGib(gib(h.usedMib), gib(h.memoryMib))],
    [say.disk, h.diskMibs ? `${h.diskMibs.toFixed(0)} MiB/s` : say.notSaid],
    [say.loading, learned],
    [say.readyHere, say.instruments(h.ready)],
    [say.voices, say.ofItsCores(h.voices, Math.round(h.load * 100))],
    [say.libraries, h.libraries.join(", ") || say.notSaid],
  ];
  return (
    <dl className="grid grid-cols-[110px_1fr] gap-y-1">
      {rows.map(([name, text]) => (
        <div key={name} className="contents">
          <dt className="text-soft">{name}</dt>
          <dd data-host={name}>{text}</dd>
        </div>
      ))}
    </dl>
  );
}

interface PastProps {
  title: string;
  unit: (x: number) => string;
  top: number;
  points: { ago: number; value: number }[];
}

/** Past draws one figure over the last minutes, the present at the right. */
function Past({ title, unit, top, points }: PastProps) {
  const width = 300;
  const height = 60;
  const span = Math.max(60, points[0]!.ago);
  const at = (p: { ago: number; value: number }) =>
    `${(width * (1 - p.ago / span)).toFixed(1)},${(height * (1 - p.value / Math.max(top, 1))).toFixed(1)}`;
  const last = points.at(-1)!.value;
  return (
    <figure>
      <figcaption className="mb-1 flex justify-between text-[12px] text-soft">
        <span>{say.theLast(title, Math.round(span / 60))}</span>
        <span>{unit(last)}</span>
      </figcaption>
      <svg viewBox={`0 0 ${width} ${height}`} className="w-full border-line border-b" role="img">
        <title>{say.now(title, unit(last))}</title>
        <polyline points={points.map(at).join(" ")} fill="none" stroke="var(--ink)" strokeWidth="1.5" />
      </svg>
    </figure>
  );
}
