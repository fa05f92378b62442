import type { Schemas } from "../model/api";
import { words } from "./words";

const say = words.toldList;

/** ToldList says where a list disagrees with itself about a patch, and what is taken. */
export function ToldList({ told }: { told: Schemas["ListProblem"][] }) {
  if (told.length === 0) return null;
  return (
    <section className="mt-3">
      <h3 className="mb-1 text-[14px]">{say.theListContradictsItself(told.length)}</h3>
      <ul aria-label={say.disagreements} className="max-h-48 overflow-y-auto">
        {told.slice(0, 200).map((p) => (
          <li key={`${p.line} ${p.column} ${p.reason}`} className="flex gap-3 border-line border-b py-0.5">
            <span className="w-16 shrink-0 text-soft">{say.line(p.line)}</span>
            <span className="w-24 shrink-0">{p.column}</span>
            <span>{p.reason}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
