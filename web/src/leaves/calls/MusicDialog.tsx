import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useEffect, useRef, useState } from "react";
import type { Id } from "../../model/api";
import { handed } from "../../model/casting";
import { call } from "../../model/changing";
import { called as calledCue, films, inOrder, setCue, useFilm } from "../../model/film";
import { handByName, handOfParts, heard, keepCue, type MusicAsk, type MusicPart, nameOf } from "../../model/music";
import { openScore } from "../../model/performing";
import { get, set, tell, useApp } from "../../model/store";
import { mib, wait } from "../../model/template";
import { ChooseFile, musicFiles } from "../../parts/ChooseFile";
import { FileNotes } from "../../parts/FileNotes";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.musicDialog;

const matched: Record<MusicPart["how"], string> = {
  hand: say.byHand,
  name: say.byName,
  seat: say.byPortAndChannel,
  cast: say.byCasting,
  "": say.nobody,
};

/** MusicDialog reads the music of a cue and makes it the cue's call: who plays
 * each part, what the music asks of them, and what calling them costs. */
export function MusicDialog({ close }: { close: () => void }) {
  const revision = useApp((s) => s.sheet!.revision);
  const called = useApp((s) => s.called);
  const from = useApp((s) => s.cueMusic);
  const cue = useFilm((s) => s.film?.cues.find((c) => c.id === from?.cue));
  const [ask, setAsk] = useState<MusicAsk>({ file: from?.file ?? null, hand: {} });
  const [name, setName] = useState(cue ? calledCue(cue) : "");
  const { data, error } = useQuery(heard(ask, revision, called));
  const report = ask.file && !error ? data : undefined;
  // A cue has its casting, or that of the last cue before it that has one is proposed.
  const [like, setLike] = useState<string | null>(null); // the cue whose casting is proposed
  const begun = useRef(false);
  useEffect(() => {
    if (!cue || !report || begun.current) return;
    begun.current = true;
    const { film } = films.getState();
    const order = film ? inOrder(film) : [];
    const before = order.slice(
      0,
      order.findIndex((c) => c.id === cue.id),
    );
    const model = cue.hand ? cue : before.findLast((c) => c.hand);
    const hand = handOfParts(model?.hand, report.parts);
    if (model && model !== cue && Object.keys(hand).length > 0) setLike(calledCue(model));
    setAsk((a) => ({ ...a, hand }));
  }, [cue, report]);
  const cast = (hand: Record<string, Id[]>) => {
    setAsk({ ...ask, hand });
    setLike(null);
    if (cue && report) void setCue(cue.id, { hand: handByName(hand, report.parts) });
  };
  const open = (file: File | null | undefined) => {
    if (!file) return;
    setAsk({ file, hand: {} });
    setName(nameOf(file.name));
  };
  const take = async (e: FormEvent, bring: boolean) => {
    e.preventDefault();
    const done = await keepCue(ask, name);
    if (!done) return;
    tell(say.isACallNow(name));
    if (cue && done.call) void setCue(cue.id, { call: done.call, hand: handByName(ask.hand, done.parts) });
    if (bring && !(await call([...new Set(done.parts.flatMap((p) => p.uses.map((u) => u.instrument)))], "only")))
      return;
    close();
  };
  const used = new Set(report?.parts.flatMap((p) => p.uses.map((u) => u.instrument)));
  const memory = report?.cost.takesMib ?? 0;
  const seconds = Math.max(0, ...(report?.cost.machines.map((m) => m.seconds) ?? []));
  return (
    <Floating
      title={cue ? say.whoPlaysIn(calledCue(cue)) : say.aCallFromTheMusic}
      open
      onOpenChange={close}
      className="w-[860px]"
    >
      {/* biome-ignore lint/a11y/noStaticElementInteractions: a file may also be chosen by its button */}
      <div
        className="flex min-h-0 flex-col"
        onDragOver={(e) => e.dataTransfer.types.includes("Files") && e.preventDefault()}
        onDrop={(e) => {
          e.preventDefault();
          open(e.dataTransfer.files[0]);
        }}
      >
        <div className="mb-2 flex items-center gap-3">
          <ChooseFile accept={musicFiles} label={say.music} take={open}>
            {ask.file ? say.anotherFile : say.chooseAFile}
          </ChooseFile>
          <span className="text-soft">{ask.file?.name ?? say.midiFileOrMusicxml}</span>
          {ask.file && (
            <button
              type="button"
              className="link ml-auto"
              onClick={() => set({ dialog: "playable", importing: ask.file })}
            >
              {say.couldPeoplePlayIt}
            </button>
          )}
        </div>
        {like && (
          <p className="pb-1 text-soft">
            {say.castAsIs(like)}{" "}
            <button type="button" className="link" onClick={() => cast({})}>
              {say.asMatched}
            </button>
          </p>
        )}
        {error && <p className="py-2 text-accent">! {error.message}</p>}
        {report && <FileNotes notes={report.notes} />}
        {report && (
          <>
            <div className="min-h-0 flex-1 overflow-y-auto border-line border-y">
              <table className="w-full text-left" aria-label={say.parts}>
                <thead className="sticky top-0 bg-paper">
                  <tr className="text-soft">
                    <th className="py-1 pl-1 font-normal">{say.part}</th>
                    <th className="font-normal">{say.playedBy}</th>
                    <th className="font-normal">{say.itAsksFor}</th>
                    <th className="font-normal">{say.matched}</th>
                    <th className="font-normal">
                      <span className="sr-only">{say.choose}</span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {report.parts.map((p) => (
                    <PartRow
                      key={p.id}
                      part={p}
                      byHand={p.id in ask.hand}
                      choose={(ids) => cast(handed(ask.hand, p.id, ids))}
                    />
                  ))}
                </tbody>
              </table>
              {report.parts.length === 0 && <p className="p-3 text-soft">{say.thereAreNoNotes}</p>}
            </div>
            {report.cost.machines
              .filter((m) => !m.fits)
              .map((m) => (
                <p key={m.id} className="mt-2 text-accent">
                  {m.refusal}.
                </p>
              ))}
            <form className="mt-3 flex items-center gap-2" onSubmit={(e) => void take(e, true)}>
              <span data-part="cue-cost">
                {say.instrumentsWithPlayersAndWhat(used.size, mib(memory), wait(seconds))}
              </span>
              <input
                className="field ml-auto w-56"
                aria-label={say.nameOfTheCue}
                value={name}
                onChange={(e) => setName(e.target.value)}
              />
              <button
                type="button"
                className="button"
                disabled={used.size === 0}
                onClick={() => {
                  void openScore(ask.file!, ask.hand);
                  close();
                }}
              >
                {say.hearIt}
              </button>
              <button type="button" className="button" disabled={used.size === 0} onClick={(e) => void take(e, false)}>
                {say.saveAsACall}
              </button>
              <button type="submit" className="button button-main" disabled={used.size === 0}>
                {say.saveAndCallIt}
              </button>
            </form>
          </>
        )}
      </div>
    </Floating>
  );
}

interface PartProps {
  part: MusicPart;
  byHand: boolean;
  choose: (ids: Id[] | null) => void;
}

function PartRow({ part: p, byHand, choose }: PartProps) {
  const sheet = useApp((s) => s.sheet)!;
  const selected = useApp((s) => s.selection.size);
  const ways = [...new Set(p.uses.flatMap((u) => u.articulations))];
  return (
    <tr className="align-top odd:bg-band" data-part-name={p.name}>
      <td className="py-1 pl-1">
        <span className="block font-medium">{p.name}</span>
        <span className="block text-[12px] text-soft">{say.notes(p.notes)}</span>
      </td>
      <td className="py-1 pr-2">
        {p.uses.length === 0 && <span className="text-accent">{say.nobody2}</span>}
        {p.uses.map((u) => (
          <span key={u.instrument} className="block">
            {sheet.instruments.byId.get(u.instrument)?.name} <span className="text-[12px] text-soft">{u.notes}</span>
          </span>
        ))}
      </td>
      <td className="max-w-[220px] py-1 pr-2 text-soft">
        {ways.join(" · ")}
        {p.beyond.length > 0 && <span className="block text-accent">{say.beyondItsRange(p.beyond.join(", "))}</span>}
        {p.lacks.length > 0 && <span className="block text-accent">{say.lacks(p.lacks.join(", "))}</span>}
      </td>
      <td className="py-1 pr-2 text-soft" title={p.why}>
        {p.how === "" ? p.why : matched[p.how]}
      </td>
      <td className="whitespace-nowrap py-1 text-right">
        {byHand ? (
          <button type="button" className="link h-6" onClick={() => choose(null)}>
            {say.asMatched2}
          </button>
        ) : (
          <>
            <button
              type="button"
              className="link mr-3 h-6"
              disabled={selected === 0}
              title={say.theInstrumentsSelected}
              onClick={() => choose(sheet.instruments.order.filter((id) => get().selection.has(id)))}
            >
              {say.theSelected}
            </button>
            <button type="button" className="link h-6" onClick={() => choose([])}>
              {say.leaveOut}
            </button>
          </>
        )}
      </td>
    </tr>
  );
}
