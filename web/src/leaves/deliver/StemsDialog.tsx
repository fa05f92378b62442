import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Refusal, type Schemas } from "../../model/api";
import { establish, type StemSource } from "../../model/delivering";
import { computed } from "../../model/queries";
import { tell, useApp } from "../../model/store";

import { Floating } from "../../shell/Floating";
import { words } from "./words";

const example = words.stemsDialog.windsFlutesOboesLowWinds;

/** StemsDialog makes stems from a list somebody wrote, a starting point, or the
 * sections; what would be made shows while typing. */
export function StemsDialog({ close }: { close: () => void }) {
  const id = useApp((s) => s.sheet!.id);
  const { data: starts } = useQuery(computed.starts(id));
  const [from, setFrom] = useState("list"); // "list", "sections", or the name of a starting point
  const [list, setList] = useState("");
  const [takeAway, setTakeAway] = useState(false);
  const [rules, setRules] = useState(true);
  const source: StemSource = {
    ...(from === "list" ? { list } : from === "sections" ? { sections: true } : { start: from }),
    takeAway,
    rules,
  };
  const { report, wrong } = usePreview(source, from !== "list" || list.trim() !== "");
  const take = async () => {
    try {
      const done = await establish(source, true);
      tell(words.stemsDialog.stemsMadeKept(done.made.length, done.kept.length));
      close();
    } catch (e) {
      tell(e instanceof Refusal ? e.problem.detail : words.stemsDialog.theServerDoesNotAnswer, "refused");
    }
  };
  return (
    <Floating title={words.stemsDialog.stemsFrom} open onOpenChange={close} className="w-[860px]">
      <form
        className="grid min-h-0 grid-cols-[230px_1fr] gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          void take();
        }}
      >
        <div className="flex flex-col gap-1" role="radiogroup" aria-label={words.stemsDialog.whereTheStemsComeFrom}>
          <Choice
            value="list"
            now={from}
            pick={setFrom}
            name={words.stemsDialog.aList}
            about={words.stemsDialog.pasteWhatYouWereSent}
          />
          {(starts ?? []).map((s) => (
            <Choice key={s.name} value={s.name} now={from} pick={setFrom} name={s.name} about={s.about} />
          ))}
          <Choice
            value="sections"
            now={from}
            pick={setFrom}
            name={words.stemsDialog.theSections}
            about={words.stemsDialog.asTheOrchestra}
          />
        </div>
        <div className="flex min-h-0 min-w-0 flex-col gap-2">
          {from === "list" && (
            <>
              <textarea
                aria-label={words.stemsDialog.stemList}
                className="field h-56 w-full resize-none py-1.5 font-mono text-[12px] leading-5"
                placeholder={example}
                value={list}
                onChange={(e) => setList(e.target.value)}
              />
              <p className="text-soft">{words.stemsDialog.oneStemPerLineWhat}</p>
            </>
          )}
          <Report report={report} wrong={wrong} />
          <div className="mt-auto flex flex-col gap-1">
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={rules} onChange={(e) => setRules(e.target.checked)} />
              {words.stemsDialog.applyTheStemRules}
            </label>
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={takeAway} onChange={(e) => setTakeAway(e.target.checked)} />
              {words.stemsDialog.removeOtherStemsThatNothing}
            </label>
          </div>
          <div className="flex justify-end">
            <button type="submit" className="button button-main" disabled={!report}>
              {words.stemsDialog.makeThem}
            </button>
          </div>
        </div>
      </form>
    </Floating>
  );
}

/** usePreview asks what would be made, a moment after the last change. */
function usePreview(source: StemSource, ready: boolean) {
  const [report, setReport] = useState<Schemas["StemReport"] | null>(null);
  const [wrong, setWrong] = useState("");
  const asked = JSON.stringify(source);
  useEffect(() => {
    setReport(null);
    setWrong("");
    if (!ready) return;
    let over = false;
    const timer = setTimeout(async () => {
      try {
        const found = await establish(JSON.parse(asked) as StemSource, false);
        if (!over) setReport(found);
      } catch (e) {
        if (!over && e instanceof Refusal) setWrong(e.problem.detail);
      }
    }, 250);
    return () => {
      over = true;
      clearTimeout(timer);
    };
  }, [asked, ready]);
  return { report, wrong };
}

function Report({ report, wrong }: { report: Schemas["StemReport"] | null; wrong: string }) {
  if (wrong) return <p className="text-accent">{wrong}</p>;
  if (!report) return null;
  const lines: [string, string[]][] = [
    [words.stemsDialog.newFolds, report.folds],
    [words.stemsDialog.newStems, report.made],
    [words.stemsDialog.alreadyThere, report.kept],
    [words.stemsDialog.moved, report.moved],
    [words.stemsDialog.takenAway, report.removed],
    [words.stemsDialog.keptBecauseSomethingFeedsThem, report.staying],
  ];
  return (
    <dl className="min-h-0 overflow-y-auto" data-part="stem-report">
      {lines
        .filter(([, names]) => names.length > 0)
        .map(([title, names]) => (
          <div key={title} className="mb-1">
            <dt className="inline font-semibold">
              {title}, {names.length}:{" "}
            </dt>
            <dd className="inline text-soft">{names.join(", ")}</dd>
          </div>
        ))}
      {report.rules > 0 && <div className="text-soft">{words.stemsDialog.newStemRulesForThem(report.rules)}</div>}
    </dl>
  );
}

interface ChoiceProps {
  value: string;
  now: string;
  pick: (v: string) => void;
  name: string;
  about: string;
}

function Choice({ value, now, pick, name, about }: ChoiceProps) {
  return (
    <label className="flex cursor-pointer gap-2 rounded-[3px] px-2 py-1 hover:bg-band has-checked:bg-chosen">
      <input type="radio" name="from" className="mt-0.5" checked={now === value} onChange={() => pick(value)} />
      <span>
        <span className="font-semibold">{name}</span>
        <span className="block text-[12px] text-soft">{about}</span>
      </span>
    </label>
  );
}
