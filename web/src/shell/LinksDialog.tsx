import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { endLink, links, type OpenLink, type Shared, share, sharedLink } from "../model/links";
import { useApp } from "../model/store";
import { when } from "../model/template";
import { Secret } from "../parts/Secret";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.linksDialog;

/** How long a link is open, days. */
const lasts: [number, string][] = [
  [1, say.aDay],
  [7, say.aWeek],
  [30, say.n30Days],
  [366, say.aYear],
];

/** LinksDialog shares the open template by a link, and lists every link that is open to people outside. */
export function LinksDialog({ close }: { close: () => void }) {
  const name = useApp((s) => s.sheet!.name);
  const client = useQueryClient();
  const { data } = useQuery(links);
  const [made, setMade] = useState<{ secret: string; kind: Shared; to: string } | null>(null);
  const again = () => client.invalidateQueries({ queryKey: links.queryKey });
  return (
    <Floating title={say.linksForPeopleOutside} open onOpenChange={close} className="w-[760px] overflow-auto">
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
                ? say.sendThisLinkToWhoever(made.to)
                : say.sendThisLinkToWhoeverHasItCanRead(made.to)
            }
          />
        </div>
      )}
      <h3 className="mt-4 mb-1 text-[15px]">{say.openLinks}</h3>
      {data?.length === 0 && <p className="text-soft">{say.noneNobodyOutsideTheStudio}</p>}
      <ul className="border-line border-b empty:hidden" aria-label={say.openLinks}>
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
      <span className="w-40 truncate" title={say.madeBy(link.by)}>
        {say.to(link.to)}
      </span>
      <span className="w-28 text-soft" title={link.openedAt ? say.lastOn(when(link.openedAt)) : ""}>
        {link.opened === 0 ? say.notOpenedYet : say.opened(link.opened)}
      </span>
      <span className="w-36 text-soft">{say.until(when(link.ends))}</span>
      <button
        type="button"
        className="link"
        aria-label={say.endTheLinkTo(link.to)}
        onClick={async () => {
          await endLink(link);
          await again();
        }}
      >
        {say.end}
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
        {say.whoeverGetsALinkTo} <b>{name}</b> {say.readsItWithoutSigning}
      </p>
      <div className="flex items-center gap-2">
        <select
          className="field"
          aria-label={say.whatItShows}
          value={kind}
          onChange={(e) => setKind(e.target.value as Shared)}
        >
          <option value="handbook">{say.theHandbook}</option>
          <option value="template">{say.theTemplateAllFormats}</option>
        </select>
        <input
          className="field flex-1"
          required
          maxLength={100}
          placeholder={say.forWhom}
          aria-label={say.forWhom}
          value={to}
          onChange={(e) => setTo(e.target.value)}
        />
        <select
          className="field"
          aria-label={say.howLongItIsOpen}
          value={days}
          onChange={(e) => setDays(Number(e.target.value))}
        >
          {lasts.map(([n, text]) => (
            <option key={n} value={n}>
              {say.for(text)}
            </option>
          ))}
        </select>
        <button type="submit" className="button button-main">
          {say.makeTheLink}
        </button>
      </div>
    </form>
  );
}
