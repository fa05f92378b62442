import { type FormEvent, useState } from "react";
import { endStudio } from "../model/members";
import { useApp } from "../model/store";
import { words } from "./words";

const say = words.wholeStudio;

/** WholeStudio takes everything of the studio out, and deletes it. */
export function WholeStudio({ close }: { close: () => void }) {
  const { studio, studioEnds } = useApp((s) => s.person)!;
  const [sure, setSure] = useState(false);
  const [name, setName] = useState("");
  const end = async (e: FormEvent) => {
    e.preventDefault();
    if (await endStudio(name)) close();
  };
  return (
    <div className="mt-3 border-line border-t pt-3" data-part="whole-studio">
      <div className="flex items-center gap-4">
        <span className="flex-1">{say.theWholeStudio}</span>
        <a className="link" href="/api/studio/archive" download>
          {say.takeEverythingOut}
        </a>
        {!studioEnds && (
          <button type="button" className="link" onClick={() => setSure(!sure)}>
            {say.deleteTheStudio}
          </button>
        )}
      </div>
      {sure && (
        <form onSubmit={(e) => void end(e)} className="mt-2">
          <p>
            {say.allTemplatesProductionsPrints} <b>{studio}</b>
            {say.toDeleteIt}
          </p>
          <div className="mt-2 flex gap-2">
            <input
              className="field flex-1"
              aria-label={say.nameOfTheStudio}
              required
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
            <button type="submit" className="button">
              {say.DeleteTheStudio}
            </button>
          </div>
        </form>
      )}
    </div>
  );
}
