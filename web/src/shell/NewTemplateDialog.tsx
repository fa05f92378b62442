import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { answer, api, type Id, Refusal, type Schemas } from "../model/api";
import { useCatalogue } from "../model/catalogue";
import { furnish } from "../model/furnishing";
import { createTemplate } from "../model/opening";
import { computed } from "../model/queries";
import { set, useApp } from "../model/store";
import { things } from "../model/template";
import { UnreadList } from "../parts/UnreadList";
import { Floating } from "./Floating";
import { ReadyFields, readyWish } from "./ReadyFields";
import { words } from "./words";

const say = words.newTemplateDialog;

type Kind = "nothing" | "start" | "line" | "list" | "score" | "session" | "other";

const kinds: [Kind, string][] = [
  ["nothing", say.nothing],
  ["start", say.aStartingPoint],
  ["line", say.oneLineOfOrchestraShorthand],
  ["list", say.aRowList],
  ["score", say.aScore],
  ["session", say.aSessionOfYourSequencer],
  ["other", say.anotherTemplate],
];

/** Desks tells who a line of shorthand names, and points at what cannot be read. */
function Desks({ line }: { line: string }) {
  const { data, error } = useQuery({ ...computed.shorthand(line.trim()), enabled: line.trim() !== "" });
  if (error instanceof Refusal) return <p className="text-accent">{error.problem.detail}</p>;
  if (!data) return null;
  return (
    <div data-part="desks">
      {data.desks.length > 0 && (
        <p>
          {say.desks(data.desks.length)}: <span className="text-soft">{data.desks.join(", ")}</span>
        </p>
      )}
      <UnreadList list={data.unread} />
    </div>
  );
}

/** NewTemplateDialog makes a template, from nothing or from what there is. */
export function NewTemplateDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [name, setName] = useState("");
  const [kind, setKind] = useState<Kind>("start");
  const [start, setStart] = useState(0);
  const [line, setLine] = useState(
    "3[1.2.pic] 3[1.2.Eh] 3[1.2.bcl] 3[1.2.cbn] - 4 3 3 1 - tmp+3 - 2hp - str 14.12.10.8.6",
  );
  const [from, setFrom] = useState(sheet.id);
  const [sections, setSections] = useState<ReadonlySet<Id>>(new Set());
  const { data: starts } = useQuery({ queryKey: ["beginnings"], queryFn: () => answer(api.GET("/api/beginnings")) });
  const { data: all } = useQuery(computed.templates());
  const studio = useCatalogue()?.rig ?? [];
  const [sits, setSits] = useState(true);
  const [ready, setReady] = useState(true);
  const [wish, setWish] = useState(readyWish);
  const finishes = kind !== "nothing" && kind !== "session" && kind !== "other";
  const make = async (e: FormEvent) => {
    e.preventDefault();
    const what = {
      nothing: {},
      list: {},
      score: {},
      session: {},
      start: { line: starts?.[start]?.line ?? "" },
      line: { line },
      other: { from, ...(from === sheet.id && sections.size > 0 ? { sections: [...sections] } : {}) },
    }[kind];
    if (!(await createTemplate(name.trim(), { ...what, machines: sits }))) return;
    const furnishing = ready && finishes ? { ...wish, seats: sits } : null;
    if (kind === "session") set({ dialog: "drift" });
    else if (kind === "list") set({ dialog: "import", furnishing });
    else if (kind === "score") set({ dialog: "casting", furnishing });
    else if (!furnishing || !(await furnish(furnishing))) close();
  };
  return (
    <Floating title={say.newTemplate} open onOpenChange={close} className="w-[920px]">
      <form onSubmit={(e) => void make(e)} className="-m-1 flex min-h-0 flex-col gap-3 p-1">
        <input
          className="field shrink-0"
          aria-label={say.nameOfTheTemplate}
          placeholder={say.name}
          required
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <div className="-m-1 grid min-h-0 grid-cols-[230px_1fr] gap-5 overflow-y-auto p-1">
          <fieldset className="flex flex-col gap-1">
            <legend className="mb-1 text-soft">{say.itBeginsWith}</legend>
            {kinds.map(([key, text]) => (
              <label key={key} className="flex min-h-7 items-center gap-2">
                <input type="radio" name="begin" checked={kind === key} onChange={() => setKind(key)} />
                {text}
              </label>
            ))}
          </fieldset>
          <div className="flex min-w-0 flex-col gap-3">
            {kind === "start" && (
              <label className="flex flex-col gap-1">
                <select
                  className="field"
                  aria-label={say.startingPoint}
                  value={start}
                  onChange={(e) => setStart(Number(e.target.value))}
                >
                  {starts?.map((s, n) => (
                    <option key={s.name} value={n}>
                      {s.name}
                    </option>
                  ))}
                </select>
                <span className="text-soft">{starts?.[start]?.about}</span>
                <code className="text-[12px] text-soft">{starts?.[start]?.line}</code>
              </label>
            )}
            {kind === "line" && (
              <input
                className="field"
                aria-label={say.orchestraShorthand}
                required
                value={line}
                onChange={(e) => setLine(e.target.value)}
              />
            )}
            {(kind === "start" || kind === "line") && (
              <Desks line={kind === "line" ? line : (starts?.[start]?.line ?? "")} />
            )}
            {kind === "nothing" && <p className="text-soft">{say.noRowsBring}</p>}
            {kind === "list" && <p className="text-soft">{say.theListIsAsked}</p>}
            {kind === "score" && <p className="text-soft">{say.theScoreIsAsked}</p>}
            {kind === "session" && <p className="text-soft">{say.theSessionFileIsAsked}</p>}
            {kind === "other" && (
              <Other all={all} from={from} choose={setFrom} sections={sections} setSections={setSections} />
            )}
            {studio.length > 0 && (
              <label className="flex min-h-7 items-center gap-2">
                <input type="checkbox" checked={sits} onChange={(e) => setSits(e.target.checked)} />
                {say.useTheStudiosMachines(studio.map((m) => m.name).join(", "))}
              </label>
            )}
            {finishes && (
              <fieldset className="border-line border-t pt-2">
                <label className="mb-1 flex min-h-7 items-center gap-2">
                  <input type="checkbox" checked={ready} onChange={(e) => setReady(e.target.checked)} />
                  {say.makeItReadyToPlay}
                </label>
                {ready && <ReadyFields wish={wish} change={setWish} fills={kind !== "score"} />}
              </fieldset>
            )}
          </div>
        </div>
        <button type="submit" className="button button-main shrink-0 self-end">
          {say.create}
        </button>
      </form>
    </Floating>
  );
}

interface OtherProps {
  all: Schemas["TemplateRow"][] | undefined;
  from: string;
  choose: (id: string) => void;
  sections: ReadonlySet<Id>;
  setSections: (s: ReadonlySet<Id>) => void;
}

/** Other chooses a template of the studio, or sections of the one that is open. */
function Other({ all, from, choose, sections, setSections }: OtherProps) {
  const sheet = useApp((s) => s.sheet)!;
  return (
    <>
      <select
        className="field"
        aria-label={say.templateToBeginWith}
        value={from}
        onChange={(e) => choose(e.target.value)}
      >
        {all?.map((t) => (
          <option key={t.id} value={t.id}>
            {t.name}
          </option>
        ))}
      </select>
      {from === sheet.id && (
        <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
          <legend className="mb-1 text-soft">{say.onlyTheseSectionsWithAll}</legend>
          {things(sheet.sections)
            .filter((s) => !s.parent)
            .map((s) => (
              <label key={s.id} className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  checked={sections.has(s.id)}
                  onChange={(e) => {
                    const next = new Set(sections);
                    e.target.checked ? next.add(s.id) : next.delete(s.id);
                    setSections(next);
                  }}
                />
                {s.name}
              </label>
            ))}
        </fieldset>
      )}
    </>
  );
}
