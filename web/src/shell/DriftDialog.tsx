import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Schemas } from "../model/api";
import {
  answerSession,
  type Drift,
  drift,
  forgetSession,
  putRight,
  readSession,
  sessionFiles,
  sessionsRead,
  takeDrift,
} from "../model/drift";
import { plural } from "../model/plural";
import { get, useApp } from "../model/store";
import { when } from "../model/template";
import { ChooseFile } from "../parts/ChooseFile";
import { Differences, usePicks } from "../parts/Differences";
import { Floating } from "./Floating";
import { words } from "./words";

/** DriftDialog holds a session that a sequencer saved against the open template, and takes over what
 * differs; into an empty template it takes all. */
export function DriftDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const empty = sheet.instruments.order.length === 0;
  const client = useQueryClient();
  const [session, setSession] = useState("");
  const [reading, setReading] = useState(false);
  const [order, setOrder] = useState(false);
  const [file, setFile] = useState<File | null>(null); // that was chosen here, of the session
  const picks = usePicks();
  const { data: read } = useQuery(sessionsRead(sheet.id));
  const { data, error } = useQuery(drift(sheet.id, sheet.revision, session));

  const keep = (d: Drift) => client.setQueryData(drift(sheet.id, d.revision, d.id).queryKey, d);
  const choose = async (file: File) => {
    setReading(true);
    const d = await readSession(file);
    setReading(false);
    if (!d) return;
    keep(d);
    show(d.id);
    setFile(file);
    await client.invalidateQueries({ queryKey: ["sessions", sheet.id] });
  };
  const show = (id: string) => {
    setSession(id);
    setOrder(false);
    setFile(null);
    picks.clear();
  };
  // A session that is dropped is read at once.
  useEffect(() => {
    const dropped = get().importing;
    if (dropped) void choose(dropped);
  }, []);

  const every = data?.differences ?? [];
  const list = picks.of(every);
  const take = async (all: boolean) => {
    const d = await takeDrift(
      session,
      all ? every.map((x) => ({ noun: x.noun, id: x.id })) : list,
      all ? data!.elsewhere.length > 0 : order,
    );
    if (!d) return;
    keep(d);
    picks.clear();
    setOrder(false);
    if (empty) close();
  };
  const say = async (key: string, value: string) => {
    const d = await answerSession(session, key, value);
    if (d) keep(d);
    picks.clear();
  };
  const sayable =
    read
      ?.find((f) => f.id === session)
      ?.name.toLowerCase()
      .endsWith(".dawproject") ?? false;
  const rightText =
    list.length > 0
      ? words.driftDialog.correctInTheSession(list.length)
      : order
        ? words.driftDialog.correctTheOrder
        : words.driftDialog.correctTheSession;
  const alike = data && every.length === 0 && data.elsewhere.length === 0;
  const of = (noun: string, one: string, many?: string) =>
    plural(every.filter((d) => d.noun === noun).length, one, many);
  const count = (how: string) => every.filter((d) => d.how === how).length;
  return (
    <Floating
      title={empty ? words.driftDialog.beginWithASession : words.driftDialog.readASessionBack}
      open
      onOpenChange={close}
      className="w-[940px]"
    >
      <div className="flex items-center gap-2">
        <ChooseFile accept={sessionFiles} label={words.driftDialog.session} take={(f) => void choose(f)}>
          {session ? words.driftDialog.anotherSession : words.driftDialog.chooseASession}
        </ChooseFile>
        {read && read.length > 0 && (
          <select
            className="field w-72"
            aria-label={words.driftDialog.readBefore}
            value={session}
            onChange={(e) => show(e.target.value)}
          >
            <option value="">{words.driftDialog.readBeforeDots}</option>
            {read.map((f) => (
              <option key={f.id} value={f.id}>
                {f.name}, {when(f.readAt)}
              </option>
            ))}
          </select>
        )}
        {session && (
          <button
            type="button"
            className="button"
            onClick={async () => {
              if (!(await forgetSession(session))) return;
              show("");
              await client.invalidateQueries({ queryKey: ["sessions", sheet.id] });
            }}
          >
            {words.driftDialog.forgetIt}
          </button>
        )}
        <span className="ml-auto text-soft" data-part="drift-count" role="status">
          {reading && words.driftDialog.reading}
          {data &&
            !reading &&
            (alike
              ? words.driftDialog.nothingDiffers
              : empty
                ? [of("row", "row"), of("section", "section"), of("bus", "bus", "buses")].join(", ")
                : words.driftDialog.onlyInTheSessionOnly(count("added"), count("removed"), count("changed")))}
        </span>
      </div>
      {error && <p className="py-2 text-accent">! {error.message}</p>}
      {!session && !reading && <p className="mt-4 max-w-[70ch] text-soft">{words.driftDialog.saveTheSession(empty)}</p>}
      {data && data.questions.length > 0 && <Questions list={data.questions} say={say} />}
      {data && (
        <div
          className="mt-3 min-h-[240px] flex-1 overflow-y-auto border-line border-y"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
          tabIndex={0}
          role="region"
          aria-label={words.driftDialog.differences}
        >
          <Differences
            list={every}
            picks={picks}
            here={words.driftDialog.template}
            there={words.driftDialog.session2}
          />
          {data.elsewhere.length > 0 && (
            <section aria-label={words.driftDialog.order} className="pb-2">
              <h3 className="py-1 text-[15px]">{words.driftDialog.order}</h3>
              <label className="flex min-h-[24px] items-center gap-2 pl-5">
                <input type="checkbox" checked={order} onChange={(e) => setOrder(e.target.checked)} />
                {words.driftDialog.inAnotherOrder(some(data.elsewhere))}
              </label>
            </section>
          )}
        </div>
      )}
      {data && data.left.length > 0 && (
        <p className="mt-2 text-[12px] text-soft" data-part="not-read">
          {words.driftDialog.notRead(data.left.join("; "))}
        </p>
      )}
      {data && (
        <div className="mt-3 flex items-center gap-3">
          <span className="text-soft">
            {found(data)} {empty && words.driftDialog.oneUndoTakesItAll}
          </span>
          {!empty && !alike && sayable && (
            <span className="ml-auto">
              {file ? (
                <button type="button" className="button" onClick={() => void putRight(session, file, list, order)}>
                  {rightText}
                </button>
              ) : (
                <ChooseFile accept=".dawproject" take={(f) => void putRight(session, f, list, order)}>
                  {rightText}…
                </ChooseFile>
              )}
            </span>
          )}
          <button
            type="button"
            className={`button ${empty ? "button-main" : ""} ${empty || !sayable ? "ml-auto" : ""}`}
            disabled={!!alike}
            onClick={() => void take(true)}
          >
            {words.driftDialog.takeAll}
          </button>
          <button
            type="button"
            className={`button ${empty ? "" : "button-main"}`}
            disabled={list.length === 0 && !order}
            onClick={() => void take(false)}
          >
            {list.length > 0
              ? words.driftDialog.takeDifferences(list.length)
              : order
                ? words.driftDialog.takeTheOrder
                : words.driftDialog.take}
          </button>
        </div>
      )}
    </Floating>
  );
}

const most = 6;

function some(names: string[]) {
  return names.slice(0, most).join(", ") + (names.length > most ? words.driftDialog.andMore(names.length - most) : "");
}

/** found says how rows were found, where that is not sure. */
function found(d: Drift) {
  const sure = (d.found.mark ?? 0) + (d.found.name ?? 0);
  const moved = d.found.moved ?? 0;
  const place = d.found.place ?? 0;
  if (sure + moved + place === 0) return "";
  const less = [
    moved && words.driftDialog.byNameInAnotherFolder(moved),
    place && words.driftDialog.byPosition(place),
  ].filter(Boolean);
  return words.driftDialog.rowsFound(sure + moved + place, less.length > 0 ? `, ${less.join(", ")}` : "");
}

interface QuestionsProps {
  list: Schemas["SessionQuestion"][];
  say: (key: string, value: string) => void;
}

/** Questions asks what a session does not say; what is proposed stands. */
function Questions({ list, say }: QuestionsProps) {
  return (
    <fieldset className="mt-3 max-h-40 shrink-0 overflow-y-auto border-accent border-l-4 pl-3">
      <legend className="sr-only">{words.driftDialog.whatIsUnsure}</legend>
      {list.map((q) => (
        <div key={q.key} className="flex min-h-[30px] items-center gap-2">
          <span className="min-w-0 flex-1">
            {q.text} {q.about.length > 1 && <span className="text-soft">{some(q.about)}</span>}
          </span>
          <select
            className="field w-64"
            aria-label={q.text}
            value={q.chosen}
            onChange={(e) => say(q.key, e.target.value)}
          >
            {q.options.map((o) => (
              <option key={o.value} value={o.value}>
                {o.words}
              </option>
            ))}
          </select>
        </div>
      ))}
    </fieldset>
  );
}
