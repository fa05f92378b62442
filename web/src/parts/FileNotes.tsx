import { words } from "./words";

const say = words.fileNotes;
/** FileNotes says what in a file was left out, or read differently. */
export function FileNotes({ notes }: { notes: string[] }) {
  if (notes.length === 0) return null;
  return (
    <ul aria-label={say.ofTheFile} className="my-2 border-line border-l-4 pl-3">
      {notes.map((n) => (
        <li key={n}>{n}</li>
      ))}
    </ul>
  );
}
