import { type FormEvent, useState } from "react";
import { endStudio } from "../model/members";
import { useApp } from "../model/store";

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
        <span className="flex-1">The whole studio</span>
        <a className="link" href="/api/studio/archive" download>
          take everything out in one archive
        </a>
        {!studioEnds && (
          <button type="button" className="link" onClick={() => setSure(!sure)}>
            delete the studio…
          </button>
        )}
      </div>
      {sure && (
        <form onSubmit={(e) => void end(e)} className="mt-2">
          <p>
            All templates, productions, prints and recordings go for good after thirty days. Until then everybody can
            work on, and you can keep it. Type the name, <b>{studio}</b>, to delete it.
          </p>
          <div className="mt-2 flex gap-2">
            <input
              className="field flex-1"
              aria-label="Name of the studio"
              required
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
            <button type="submit" className="button">
              Delete the studio
            </button>
          </div>
        </form>
      )}
    </div>
  );
}
