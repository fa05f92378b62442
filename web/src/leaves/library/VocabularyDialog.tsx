import { type FormEvent, useState } from "react";
import type { Schemas } from "../../model/api";
import { type Catalogue, changeCatalogue } from "../../model/catalogue";
import { randomId } from "../../model/sending";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.vocabularyDialog;

type Term = Schemas["Term"];

const families: Term["family"][] = ["long", "short", "legato", "effect"];

/** VocabularyDialog lists the articulations the studio knows, and adds its
 * own; one of its own that has a standard name stands in its place. */
export function VocabularyDialog({ cat, close }: { cat: Catalogue; close: () => void }) {
  const [text, setText] = useState("");
  const [term, setTerm] = useState<Term | null>(null);
  const own = new Set(cat.own);
  const groups = [...new Set(cat.vocabulary.map((t) => t.group).filter(Boolean))] as string[];
  const shown = cat.vocabulary.filter((t) =>
    [t.name, t.short, ...t.synonyms, t.family, t.group ?? ""].some((x) => x.toLowerCase().includes(text.toLowerCase())),
  );
  const edit = (t: Term) => setTerm(own.has(t.id) ? t : { ...t, id: `term-${randomId()}` });
  const keep = async (e: FormEvent) => {
    e.preventDefault();
    if (term && (await changeCatalogue(cat, { kind: "put", vocabulary: [{ at: -1, value: term }] }))) setTerm(null);
  };
  const remove = async () => {
    if (term && (await changeCatalogue(cat, { kind: "drop", vocabulary: [term.id] }))) setTerm(null);
  };
  return (
    <Floating title={say.articulationsAndTheirNames} open onOpenChange={close} className="w-[720px]">
      <form onSubmit={(e) => void keep(e)} className="mb-2 flex flex-wrap items-center gap-2">
        <input
          type="search"
          className="field min-w-0 flex-1"
          aria-label={say.findArticulations}
          placeholder={say.findStaccMuteEffect}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <button
          type="button"
          className="button"
          onClick={() => setTerm({ id: `term-${randomId()}`, name: text, short: "", synonyms: [], family: "long" })}
        >
          {say.newArticulation}
        </button>
        {term && (
          <div className="grid w-full grid-cols-[90px_1fr_90px_1fr] items-center gap-2 border-line border-y py-2">
            <label className="contents">
              <span>{say.name}</span>
              <input
                required
                className="field"
                value={term.name}
                onChange={(e) => setTerm({ ...term, name: e.target.value })}
              />
            </label>
            <label className="contents">
              <span>{say.inScores}</span>
              <input
                className="field"
                placeholder={say.stacc}
                value={term.short}
                onChange={(e) => setTerm({ ...term, short: e.target.value })}
              />
            </label>
            <label className="contents">
              <span>{say.alsoCalled}</span>
              <input
                className="field"
                placeholder={say.withCommasBetween}
                defaultValue={term.synonyms.join(", ")}
                onBlur={(e) =>
                  setTerm({
                    ...term,
                    synonyms: e.target.value
                      .split(",")
                      .map((x) => x.trim())
                      .filter(Boolean),
                  })
                }
              />
            </label>
            <label className="contents">
              <span>{say.family}</span>
              <select
                className="field"
                value={term.family}
                onChange={(e) => setTerm({ ...term, family: e.target.value as Term["family"] })}
              >
                {families.map((f) => (
                  <option key={f}>{f}</option>
                ))}
              </select>
            </label>
            <label className="contents">
              <span>{say.eitherOr}</span>
              <input
                className="field"
                list="groups"
                placeholder={say.none}
                value={term.group ?? ""}
                onChange={(e) => {
                  const { group: _, ...rest } = term;
                  setTerm(e.target.value ? { ...rest, group: e.target.value } : rest);
                }}
              />
            </label>
            <datalist id="groups">
              {groups.map((g) => (
                <option key={g} value={g} />
              ))}
            </datalist>
            <div className="col-span-2 flex justify-end gap-2">
              {own.has(term.id) && (
                <button type="button" className="button" onClick={() => void remove()}>
                  {say.remove}
                </button>
              )}
              <button type="submit" className="button button-main">
                {say.save}
              </button>
            </div>
          </div>
        )}
      </form>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls by keyboard */}
      <ul className="min-h-0 flex-1 overflow-y-auto" aria-label={say.articulations} tabIndex={0}>
        {shown.map((t) => (
          <li key={t.id} className="odd:bg-band">
            <button
              type="button"
              data-term={t.name}
              className="grid min-h-7 w-full grid-cols-[150px_80px_60px_1fr_auto] items-center gap-2 px-2 text-left"
              onClick={() => edit(t)}
            >
              <span className="font-medium">{t.name}</span>
              <span>{t.short}</span>
              <span className="text-soft">{t.family}</span>
              <span className="truncate text-soft" title={t.synonyms.join(", ")}>
                {t.synonyms.join(", ")}
              </span>
              <span className="text-soft">
                {t.group && `${t.group}${t.natural ? say.natural : ""}`}
                {own.has(t.id) && say.own}
              </span>
            </button>
          </li>
        ))}
      </ul>
    </Floating>
  );
}
