import { keepStudio } from "../model/members";
import { useApp } from "../model/store";
import { when } from "../model/template";
import { words } from "./words";

const say = words.studioLine;

/** StudioLine says that the studio was deleted, when it goes for good, and lets an owner keep it. */
export function StudioLine() {
  const person = useApp((s) => s.person)!;
  if (!person.studioEnds) return null;
  return (
    <div
      className="flex shrink-0 items-center gap-3 border-line border-b bg-band px-3 py-1.5"
      data-part="studio-ends"
      role="status"
    >
      <span>{say.wasDeletedItGoes(person.studio, when(person.studioEnds))}</span>
      {person.role === "owner" && (
        <button type="button" className="button button-main ml-auto" onClick={() => void keepStudio()}>
          {say.keepIt}
        </button>
      )}
    </div>
  );
}
