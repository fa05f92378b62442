import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Id, Schemas } from "../../model/api";
import { backTo, bringIn, called, type Film, filmed, films, newCut, takeCut, useFilm } from "../../model/film";
import { set, useApp } from "../../model/store";

import { timecode } from "../../model/timecode";
import { ChooseFile } from "../../parts/ChooseFile";
import { Floating } from "../../shell/Floating";
import { Ribbons } from "./Ribbons";
import { words } from "./words";

const say = words.cutDialog;

/** CutDialog keeps the cuts of a production, and holds the cues against one of them. */
export function CutDialog({ close }: { close: () => void }) {
  const film = useFilm((s) => s.film);
  const cut = useFilm((s) => s.cut);
  if (!film) return null;
  const held = film.cuts.find((c) => c.id === cut && c.id !== film.settings.cut);
  const leave = () => {
    films.setState({ cut: null });
    close();
  };
  return (
    <Floating
      title={held ? say.to(film.cuts.find((c) => c.id === film.settings.cut)?.name ?? say.noCut, held.name) : say.cuts}
      open
      onOpenChange={leave}
      className={held ? "w-[1040px]" : "w-[640px]"}
    >
      {held ? <Held film={film} cut={held} close={leave} /> : <Cuts film={film} />}
    </Floating>
  );
}

function Cuts({ film }: { film: Film }) {
  const present = film.settings.cut;
  return (
    <>
      {film.cuts.length === 0 ? (
        <p className="text-soft">{say.noCutYetBring}</p>
      ) : (
        <ul aria-label={say.cuts}>
          {film.cuts.map((c) => (
            <li key={c.id} className="border-line border-b py-1.5" data-cut={c.name}>
              <div className="flex items-center gap-3">
                <span className="w-40 truncate font-semibold">{c.name}</span>
                <span className="text-soft">
                  {c.reels
                    .map((r) => say.rEvents(film.reels.find((x) => x.id === r.reel)?.name ?? "", r.events))
                    .join(", ") || say.noPicture}
                </span>
                <span className="ml-auto flex gap-1">
                  {c.id === present ? (
                    <span className="text-soft">{say.theCuesAreInIt}</span>
                  ) : (
                    <>
                      <button type="button" className="button h-6" onClick={() => void backTo(c.id)}>
                        {say.goBackToIt}
                      </button>
                      <button
                        type="button"
                        className="button button-main h-6"
                        onClick={() => films.setState({ cut: c.id })}
                      >
                        {say.compareTheCuesWithIt}
                      </button>
                    </>
                  )}
                </span>
              </div>
              <Films film={film} cut={c} />
            </li>
          ))}
        </ul>
      )}
      <BringIn film={film} />
    </>
  );
}

/** Films names the film of each reel in a cut. */
function Films({ film, cut }: { film: Film; cut: Schemas["FilmCut"] }) {
  return (
    <div className="flex flex-wrap items-center gap-x-4 text-soft">
      {film.reels.map((r) => (
        <button
          key={r.id}
          type="button"
          className="link max-w-64 truncate"
          aria-label={say.filmOfReelIn(r.name, cut.name)}
          onClick={() => set({ dialog: "movie", movie: { cut: cut.id, reel: r.id } })}
        >
          {say.r(r.name, cut.films[r.id]?.file ?? say.film)}
        </button>
      ))}
    </div>
  );
}

function BringIn({ film }: { film: Film }) {
  const [into, setInto] = useState("");
  const [name, setName] = useState("");
  const [reel, setReel] = useState("");
  const [notes, setNotes] = useState<readonly string[]>([]);
  const others = film.cuts.filter(
    (c) => c.id !== film.settings.cut || film.reels.some((r) => !c.reels.some((x) => x.reel === r.id && x.events > 0)),
  );
  const dropped = useApp((s) => s.importing);
  useEffect(() => {
    if (dropped) void take(dropped);
  }, [dropped]);
  const take = async (file: File) => {
    const done = await bringIn(file, {
      ...(into ? { cut: into } : name.trim() ? { name: name.trim() } : {}),
      ...(reel ? { reel } : {}),
    });
    if (!done) return;
    setNotes([say.eventsTaken(done.events), ...done.notes]);
    setInto(done.cut);
    if (film.settings.cut && done.cut !== film.settings.cut) films.setState({ cut: done.cut });
  };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: a file may also be chosen by its button
    <div
      className="mt-3 flex flex-wrap items-center gap-2"
      onDragOver={(e) => e.dataTransfer.types.includes("Files") && e.preventDefault()}
      onDrop={(e) => {
        const file = e.dataTransfer.files[0];
        if (!file) return;
        e.preventDefault();
        e.stopPropagation();
        void take(file);
      }}
    >
      <ChooseFile
        accept=".edl,.otio,.txt,.csv,.tsv"
        label={say.eventList}
        className="button-main"
        title={say.anEventListCmx3600}
        take={(f) => void take(f)}
      >
        {say.bringInAList}
      </ChooseFile>
      <select className="field" aria-label={say.intoWhichCut} value={into} onChange={(e) => setInto(e.target.value)}>
        <option value="">{say.intoANewCut}</option>
        {others.map((c) => (
          <option key={c.id} value={c.id}>
            {say.into(c.name)}
          </option>
        ))}
      </select>
      {into === "" && (
        <input
          className="field w-36"
          aria-label={say.nameOfTheNewCut}
          placeholder={say.cut(film.cuts.length + 1)}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
      )}
      <button
        type="button"
        className="button"
        title={say.aCutWithoutAnEvent}
        disabled={film.reels.length === 0}
        onClick={() => void newCut(name.trim())}
      >
        {say.withoutAList}
      </button>
      <select className="field" aria-label={say.whichReel} value={reel} onChange={(e) => setReel(e.target.value)}>
        <option value="">{say.theReelOfItsTimecode}</option>
        {film.reels.map((r) => (
          <option key={r.id} value={r.id}>
            {say.reel(r.name)}
          </option>
        ))}
      </select>
      {notes.length > 0 && (
        <ul className="w-full text-soft" aria-label={say.whatWasRead}>
          {notes.map((n) => (
            <li key={n}>{n}</li>
          ))}
        </ul>
      )}
    </div>
  );
}

const kinds = { untouched: say.untouched, moved: say.moved, changed: say.changedInside, gone: say.gone } as const;

/** Held shows what a cut does to every cue, and how each can follow. */
function Held({ film, cut, close }: { film: Film; cut: Schemas["FilmCut"]; close: () => void }) {
  const { data } = useQuery(filmed.conforming(film.id, film.revision, cut.id));
  const [choices, setChoices] = useState<Record<Id, number>>({});
  if (!data) return <p className="text-soft">{say.comparing}</p>;
  const sum = (list: readonly { start: number; end: number }[]) => list.reduce((n, s) => n + s.end - s.start, 0);
  const gone = data.reels.reduce((n, r) => n + sum(r.gone), 0);
  const fresh = data.reels.reduce((n, r) => n + sum(r.fresh), 0);
  const count = (kind: string) => data.cues.filter((c) => c.verdict.kind === kind).length;
  const take = async () => {
    if (await takeCut(cut.id, choices)) close();
  };
  return (
    <div className="flex min-h-0 flex-col">
      <p data-part="conform-sum">
        {say.framesAreGoneAreNew(gone, fresh, count("untouched"), count("moved"), count("changed"), count("gone"))}
      </p>
      <div className="min-h-0 overflow-y-auto">
        {data.reels.map((r) => (
          <Ribbons key={r.reel} film={film} match={r} verdicts={data.cues.map((c) => c.verdict)} />
        ))}
        <table className="mt-2 w-full border-collapse" data-part="verdicts">
          <thead>
            <tr className="text-left text-soft">
              <th className="w-8 py-1 font-normal" />
              <th className="font-normal">{say.cue}</th>
              <th className="font-normal">{say.whatBecomesOfIt}</th>
              <th className="font-normal">{say.starts}</th>
              <th className="font-normal">{say.howItFollows}</th>
              <th className="w-24 text-right font-normal">{say.worstFrames}</th>
            </tr>
          </thead>
          <tbody>
            {data.cues.map(({ verdict: v, proposals }) => (
              <Row
                key={v.cue}
                film={film}
                v={v}
                proposals={proposals}
                choice={choices[v.cue] ?? 0}
                choose={(n) => setChoices({ ...choices, [v.cue]: n })}
              />
            ))}
          </tbody>
        </table>
      </div>
      <div className="mt-3 flex justify-end gap-2">
        {(["pdf", "csv"] as const).map((f) => (
          <a key={f} className="button" href={`/api/productions/${film.id}/cuts/${cut.id}/report/${f}`} download>
            {say.reportAs(f.toUpperCase())}
          </a>
        ))}
        <button type="button" className="button" onClick={() => films.setState({ cut: null })}>
          {say.allCuts}
        </button>
        <button type="button" className="button button-main" onClick={() => void take()}>
          {say.take(cut.name)}
        </button>
      </div>
    </div>
  );
}

interface RowProps {
  film: Film;
  v: Schemas["CueVerdict"];
  proposals: readonly Schemas["CueProposal"][];
  choice: number;
  choose: (n: number) => void;
}

function Row({ film, v, proposals, choice, choose }: RowProps) {
  const cue = film.cues.find((c) => c.id === v.cue);
  const frame = film.settings.frame;
  const p = proposals[Math.max(0, choice)];
  if (!cue) return null;
  const by = v.by === 0 ? "" : say.byFrames(v.by > 0 ? "+" : "−", Math.abs(v.by));
  return (
    <>
      <tr className="border-line border-t align-top" data-verdict={v.kind} data-cue-number={cue.number}>
        <td className="py-1">
          <input
            type="checkbox"
            aria-label={say.follows(called(cue))}
            checked={choice >= 0}
            onChange={(e) => choose(e.target.checked ? 0 : -1)}
          />
        </td>
        <td className="max-w-48 truncate py-1" title={called(cue)}>
          {called(cue)}
        </td>
        <td className={`py-1 ${v.kind === "changed" || v.kind === "gone" ? "text-accent" : ""}`}>
          {v.kind === "moved"
            ? say.movedBy(by)
            : v.kind === "changed" && by
              ? say.changedInsideMoves(by)
              : kinds[v.kind]}
          {v.unsure && <span className="text-soft"> {say.byTimecodeAlone}</span>}
        </td>
        <td className="py-1">{timecode(frame, v.start)}</td>
        <td className="py-1">
          {choice < 0 ? (
            <span className="text-soft">{say.staysAsItIs}</span>
          ) : proposals.length > 1 ? (
            <select
              className="field h-6 w-full min-w-[360px]"
              title={p?.text}
              aria-label={say.howFollows(cue.number)}
              value={choice}
              onChange={(e) => choose(Number(e.target.value))}
            >
              {proposals.map((x, n) => (
                <option key={x.way} value={n}>
                  {x.text}
                </option>
              ))}
            </select>
          ) : (
            p?.text
          )}
        </td>
        <td className="py-1 text-right">{choice >= 0 && p && p.errors.length > 0 ? p.worst.toFixed(1) : ""}</td>
      </tr>
      {choice >= 0 && (v.seams.length > 0 || v.look.length > 0 || (p?.lost.length ?? 0) > 0) && (
        <tr>
          <td />
          <td colSpan={5} className="pb-1 text-soft">
            {[
              ...v.seams.map((s) => say.barBeatFrames(s.place.bar, s.place.beat, s.by > 0 ? "+" : "−", Math.abs(s.by))),
              ...v.look,
              ...(p?.errors ?? [])
                .filter((e) => e.weight > 0)
                .map(
                  (e) =>
                    `${e.name}: ${Math.abs(e.frames) < 0.05 ? say.met : say.frames(e.frames > 0 ? "+" : "−", Math.abs(e.frames))}`,
                ),
              ...(p?.lost ?? []).map((l) => say.isGone(l)),
            ].join("; ")}
          </td>
        </tr>
      )}
    </>
  );
}
