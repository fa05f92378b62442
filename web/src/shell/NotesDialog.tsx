import { useInfiniteQuery } from "@tanstack/react-query";
import { answer, api } from "../model/api";
import { when } from "../model/template";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.notesDialog;

/** As many as come at a time. */
const page = 100;

/** NotesDialog shows owners what was done that is not a change of a template: who came in, who was let in,
 * what was handed out or deleted. */
export function NotesDialog({ close }: { close: () => void }) {
  const { data, error, hasNextPage, fetchNextPage } = useInfiniteQuery({
    queryKey: ["notes"],
    queryFn: ({ pageParam }) =>
      answer(api.GET("/api/notes", { params: { query: pageParam > 0 ? { before: pageParam } : {} } })),
    initialPageParam: 0,
    getNextPageParam: (last) => (last.length < page ? undefined : last[last.length - 1]?.id),
    retry: false,
  });
  return (
    <Floating title={say.activity} open onOpenChange={close} className="w-[760px]">
      {error && <p className="py-2 text-accent">! {error.message}</p>}
      <div
        className="min-h-[240px] flex-1 overflow-y-auto border-line border-y"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
        tabIndex={0}
        role="region"
        aria-label={say.activity}
      >
        <table className="w-full">
          <thead className="sticky top-0 bg-paper text-left text-[12px] text-soft">
            <tr>
              <th className="py-1 font-normal">{say.when}</th>
              <th className="font-normal">{say.who}</th>
              <th className="font-normal">{say.what}</th>
              <th className="font-normal">{say.from}</th>
            </tr>
          </thead>
          <tbody>
            {data?.pages.flat().map((n) => (
              <tr key={n.id} className="min-h-7 border-line border-t align-top">
                <td className="whitespace-nowrap py-1 pr-3 text-soft">{when(n.at)}</td>
                <td className="py-1 pr-3">{n.who}</td>
                <td className="py-1 pr-3">
                  {n.what} {n.about}
                </td>
                <td className="whitespace-nowrap py-1 text-soft">{n.from}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {hasNextPage && (
          <button type="button" className="button my-2" onClick={() => void fetchNextPage()}>
            {say.earlier}
          </button>
        )}
      </div>
      <div className="mt-3 flex">
        <a className="button ml-auto" href="/api/notes/sheet" download>
          {say.downloadAsCsv}
        </a>
      </div>
    </Floating>
  );
}
