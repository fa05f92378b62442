import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { abbreviations, setAbbreviations } from "../../model/naming";
import { words } from "./words";

const say = words.abbreviations;

/** Abbreviations lists what stands for what, and sets the studio's own. */
export function Abbreviations() {
  const queries = useQueryClient();
  const { data } = useQuery(abbreviations());
  const [long, setLong] = useState("");
  const [short, setShort] = useState("");
  if (!data) return null;
  const keep = async (own: typeof data.own) => {
    if (!(await setAbbreviations(own))) return false;
    await queries.invalidateQueries({ queryKey: ["abbreviations"] });
    await queries.invalidateQueries({ queryKey: ["names"] });
    return true;
  };
  const add = async (e: FormEvent) => {
    e.preventDefault();
    const own = data.own.filter((a) => a.long.toLowerCase() !== long.trim().toLowerCase());
    if (await keep([...own, { long: long.trim(), short: short.trim() }])) {
      setLong("");
      setShort("");
    }
  };
  return (
    <section className="mt-3 border-line border-t pt-2" aria-label={say.abbreviations}>
      <form className="mb-2 flex items-center gap-2" onSubmit={(e) => void add(e)}>
        <input
          className="field w-48"
          aria-label={say.word}
          placeholder={say.wordOrWords}
          required
          value={long}
          onChange={(e) => setLong(e.target.value)}
        />
        {say.becomes}
        <input
          className="field w-28"
          aria-label={say.itsAbbreviation}
          value={short}
          onChange={(e) => setShort(e.target.value)}
        />
        <button type="submit" className="button">
          {say.saveForTheStudio}
        </button>
      </form>
      <div className="flex max-h-24 flex-wrap gap-x-3 gap-y-0.5 overflow-y-auto text-[12px]">
        {data.own.map((a) => (
          <span key={a.long}>
            {a.long} <b className="font-semibold">{a.short || say.nothing}</b>{" "}
            <button
              type="button"
              className="link"
              aria-label={say.forgetTheAbbreviationOf(a.long)}
              onClick={() => void keep(data.own.filter((x) => x !== a))}
            >
              {say.forget}
            </button>
          </span>
        ))}
        {data.standard.map((a) => (
          <span key={a.long} className="text-soft">
            {a.long} <b className="font-semibold">{a.short}</b>
          </span>
        ))}
      </div>
    </section>
  );
}
