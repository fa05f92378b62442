import type { Schemas } from "../model/api";

/** UnreadList points at what in a line cannot be read; the rest of it is kept. */
export function UnreadList({ list }: { list: Schemas["Unread"][] }) {
  return (
    <>
      {list.map((u) => (
        <p key={u.text + u.reason} className="text-accent" data-part="unread">
          ! “{u.text}”: {u.reason}
        </p>
      ))}
    </>
  );
}
