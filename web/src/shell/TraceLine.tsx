import { useQuery } from "@tanstack/react-query";
import { Volume2 } from "lucide-react";
import type { Schemas } from "../model/api";
import { isLeaf } from "../model/leaves";
import { computed } from "../model/queries";
import { arm, useSounding } from "../model/sounding";
import { lookUp, select, set, show, useApp } from "../model/store";
import { RowCard } from "./RowCard";
import { words } from "./words";

const say = words.traceLine;

/** TraceLine tells the whole way of what is selected; every word leads to the
 * leaf that shows it. */
export function TraceLine() {
  const sheet = useApp((s) => s.sheet)!;
  const selection = useApp((s) => s.selection);
  const cursor = useApp((s) => s.cursor);
  const bus = useApp((s) => s.bus);
  const plays = (id: string) => sheet.instruments.byId.get(id)?.kind !== "divider";
  const subject = cursor && selection.has(cursor) && plays(cursor) ? cursor : ([...selection].find(plays) ?? null);
  return (
    <section
      className="flex h-[30px] shrink-0 items-center gap-2 bg-paper px-3"
      aria-label={say.trace}
      aria-live="polite"
    >
      <span className="text-soft">{say.trace}</span>
      {bus ? (
        <BusSentence key={sheet.id} id={sheet.id} revision={sheet.revision} bus={bus} />
      ) : subject ? (
        <Sentence
          key={sheet.id}
          id={sheet.id}
          revision={sheet.revision}
          instrument={subject}
          more={selection.size - 1}
        />
      ) : (
        <span className="text-soft">{selection.size > 0 ? say.aDividerPlaysNothing : say.selectAnInstrumentToSee}</span>
      )}
      <span className="ml-auto flex shrink-0 items-center gap-2">
        {!bus && subject && <RowCard id={subject} />}
        <Hear />
      </span>
    </section>
  );
}

/** Hear arms what is selected, and tells on every screen what is. */
function Hear() {
  const selection = useApp((s) => s.selection);
  const armed = useSounding((s) => s.armed);
  const open = useSounding((s) => s.open);
  return (
    <span className="flex shrink-0 items-center gap-2">
      {open && (
        <span className="text-accent">
          {armed.length === 1 ? say.isArmed(armed[0]!.name) : say.rowsAreArmed(armed.length)}
        </span>
      )}
      <button
        type="button"
        className="button h-6"
        disabled={selection.size === 0}
        onClick={() => void arm([...selection])}
        title={say.playAndHearTheSelection}
      >
        <Volume2 size={13} aria-hidden="true" /> {say.hear}
      </button>
    </span>
  );
}

function Sentence({
  id,
  revision,
  instrument,
  more,
}: {
  id: string;
  revision: number;
  instrument: string;
  more: number;
}) {
  const { data } = useQuery(computed.trace(id, revision, instrument));
  return data ? <Words data={data} more={more} /> : null;
}

function BusSentence({ id, revision, bus }: { id: string; revision: number; bus: string }) {
  const { data } = useQuery(computed.busTrace(id, revision, bus));
  return data ? <Words data={data} more={0} /> : null;
}

function Words({ data, more }: { data: Schemas["TraceStep"][]; more: number }) {
  return (
    <p className="min-w-0 truncate" data-part="trace" title={data.map((s) => s.join + s.text).join("")}>
      {data.map((s, n) => (
        <span key={`${s.id}${n}`}>
          <span className="whitespace-pre text-soft">{s.join}</span>
          <button type="button" className={n === 0 ? "font-semibold" : "link"} onClick={() => follow(s)}>
            {s.text}
          </button>
          {n === 0 && more > 0 && <span className="text-soft"> +{more}</span>}
        </span>
      ))}
    </p>
  );
}

function follow(s: Schemas["TraceStep"]) {
  const leaf = isLeaf(s.leaf) ? s.leaf : undefined;
  if (leaf === "library") return lookUp(s.id);
  if (leaf === "routing") set({ bus: s.id });
  if (leaf === "orchestra") select([s.id], s.id);
  show(leaf ?? "orchestra");
}
