import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { endLink, links, type OpenLink, type Shared, share, sharedLink } from "../model/links";
import { useApp } from "../model/store";
import { plural, when } from "../model/template";
import { Secret } from "../parts/Secret";
import { Floating } from "./Floating";

/** How long a link is open, days. */
const lasts: [number, string][] = [
  [1, "a day"],
  [7, "a week"],
  [30, "30 days"],
  [366, "a year"],
];

/** LinksDialog shares the open template by a link, and lists every link that is open to people outside. */
export function LinksDialog({ close }: { close: () => void }) {
  const name = useApp((s) => s.sheet!.name);
  const client = useQueryClient();
  const { data } = useQuery(links);
  const [made, setMade] = useState<{ secret: string; kind: Shared; to: string } | null>(null);
  const again = () => client.invalidateQueries({ queryKey: links.queryKey });
  return (
    <Floating title="Links for people outside" open onOpenChange={close} className="w-[760px] overflow-auto">
      <Share
        name={name}
        done={async (x) => {
          setMade(x);
          await again();
        }}
      />
      {made && (
        <div className="mt-3" data-part="link">
          <Secret
            link={sharedLink(made.secret)}
            says={
              made.kind === "handbook"
                ? `Send this link to ${made.to}. Whoever has it can read the handbook.`
                : `Send this link to ${made.to}. Whoever has it can read the template and download it.`
            }
          />
        </div>
      )}
      <h3 className="mt-4 mb-1 text-[15px]">Open links</h3>
      {data?.length === 0 && <p className="text-soft">None. Nobody outside the studio sees anything of it.</p>}
      <ul className="border-line border-b empty:hidden" aria-label="Open links">
        {data?.map((x) => (
          <Line key={x.id} link={x} again={again} />
        ))}
      </ul>
    </Floating>
  );
}

function Line({ link, again }: { link: OpenLink; again: () => Promise<void> }) {
  return (
    <li className="flex min-h-9 items-center gap-3 border-line border-t" data-link={link.to}>
      <span className="min-w-0 flex-1 truncate">
        {link.title} <span className="text-soft">({link.kind})</span>
      </span>
      <span className="w-40 truncate" title={`made by ${link.by}`}>
        to {link.to}
      </span>
      <span className="w-28 text-soft" title={link.openedAt ? `last on ${when(link.openedAt)}` : ""}>
        {link.opened === 0 ? "not opened yet" : `opened ${link.opened === 1 ? "once" : plural(link.opened, "time")}`}
      </span>
      <span className="w-36 text-soft">until {when(link.ends)}</span>
      <button
        type="button"
        className="link"
        aria-label={`End the link to ${link.to}`}
        onClick={async () => {
          await endLink(link);
          await again();
        }}
      >
        end
      </button>
    </li>
  );
}

function Share({ name, done }: { name: string; done: (x: { secret: string; kind: Shared; to: string }) => void }) {
  const [kind, setKind] = useState<Shared>("handbook");
  const [to, setTo] = useState("");
  const [days, setDays] = useState(30);
  const send = async (e: FormEvent) => {
    e.preventDefault();
    const x = await share(kind, to.trim(), days);
    if (!x) return;
    setTo("");
    done({ secret: x.secret, kind, to: to.trim() });
  };
  return (
    <form onSubmit={(e) => void send(e)}>
      <p className="mb-2">
        Whoever gets a link to <b>{name}</b> reads it without signing in, as it is when they look.
      </p>
      <div className="flex items-center gap-2">
        <select
          className="field"
          aria-label="What it shows"
          value={kind}
          onChange={(e) => setKind(e.target.value as Shared)}
        >
          <option value="handbook">The handbook</option>
          <option value="template">The template, all formats</option>
        </select>
        <input
          className="field flex-1"
          required
          maxLength={100}
          placeholder="For whom"
          aria-label="For whom"
          value={to}
          onChange={(e) => setTo(e.target.value)}
        />
        <select
          className="field"
          aria-label="How long it is open"
          value={days}
          onChange={(e) => setDays(Number(e.target.value))}
        >
          {lasts.map(([n, text]) => (
            <option key={n} value={n}>
              for {text}
            </option>
          ))}
        </select>
        <button type="submit" className="button button-main">
          Make the link
        </button>
      </div>
    </form>
  );
}
