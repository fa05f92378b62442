import { useQuery } from "@tanstack/react-query";
import { type MouseEvent, useEffect, useRef } from "react";
import { leaves } from "../leaves";
import { explain, set, useApp } from "../model/store";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.guideDialog;

/** pageOf is what a page of the guide says, as HTML. */
async function pageOf(name: string): Promise<string> {
  const got = await fetch(`/guide/${name}`);
  if (!got.ok) throw new Error(say.theGuideHasNoPage(name));
  const page = new DOMParser().parseFromString(await got.text(), "text/html");
  page.querySelector("h1")?.remove(); // the title of the dialog
  return page.querySelector("main")?.innerHTML ?? "";
}

/** titles are the pages of the guide, in working order. */
const titles: readonly (readonly [page: string, title: string])[] = [
  ["start", say.theFirstQuarter],
  ...leaves.map((l) => [l.name, l.title] as const),
  ["marks", say.marks],
];

/** GuideDialog shows a page of the guide; its links lead on within it. */
export function GuideDialog({ close }: { close: () => void }) {
  const guide = useApp((s) => s.guide);
  const [page = "start", place = ""] = guide.split("#");
  const { data, isError } = useQuery({ queryKey: ["guide", page], queryFn: () => pageOf(page) });
  const text = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!data || !text.current) return;
    const at = place ? text.current.querySelector(`[id="${CSS.escape(place)}"]`) : null;
    if (at) at.scrollIntoView();
    else text.current.scrollTop = 0;
  }, [data, place]);
  const follow = (e: MouseEvent) => {
    const to = (e.target as Element).closest("a")?.getAttribute("href");
    if (!to) return;
    e.preventDefault();
    set({ guide: to });
  };
  return (
    <Floating
      title={titles.find(([name]) => name === page)?.[1] ?? say.guide}
      open
      onOpenChange={close}
      className="w-[880px]"
    >
      <div className="flex min-h-0 flex-1 gap-4">
        <nav aria-label={say.guide} className="flex w-40 shrink-0 flex-col gap-0.5 overflow-y-auto">
          {titles.map(([name, title]) => (
            <button
              key={name}
              type="button"
              aria-current={name === page ? "page" : undefined}
              className={`rounded-[3px] px-2 py-1 text-left hover:bg-band ${name === page ? "bg-chosen font-semibold" : ""}`}
              onClick={() => explain(name)}
            >
              {title}
            </button>
          ))}
          <a className="link mt-2 px-2" href={`/guide/${page}`} target="_blank" rel="noreferrer">
            {say.inAWindow}
          </a>
        </nav>
        {isError && <p className="text-accent">{say.theGuideCannotBeRead}</p>}
        {/* biome-ignore lint/a11y/useKeyWithClickEvents: links within are followed by keyboard as well */}
        {/* biome-ignore lint/a11y/noStaticElementInteractions: likewise */}
        <div
          ref={text}
          className="guide min-h-0 min-w-0 flex-1 overflow-y-auto pr-2"
          data-part="guide"
          data-page={page}
          // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling text is reached by keyboard
          tabIndex={0}
          onClick={follow}
          // the pages are our own, made from Markdown without HTML
          dangerouslySetInnerHTML={{ __html: data ?? "" }}
        />
      </div>
    </Floating>
  );
}
