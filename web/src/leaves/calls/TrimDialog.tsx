import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answer, api, type Id } from "../../model/api";
import { attempt, get, tell, useApp } from "../../model/store";
import { mib, plural } from "../../model/template";
import { Floating } from "../../shell/Floating";

type Take = "tell" | "trim" | "whole";

const ask = (call: Id, take: Take) =>
  answer(
    api.POST("/api/templates/{id}/calls/{call}/trim", {
      params: { path: { id: get().sheet!.id, call } },
      body: { take },
    }),
  );

/** TrimDialog shows what the music of a call needs of its instruments: all of
 * them on disk, loaded whole, and only what the notes touch. */
export function TrimDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const states = useApp((s) => s.states);
  const call = useApp((s) => s.trimming) ?? "";
  const { data, error } = useQuery({
    queryKey: ["trim", sheet.id, sheet.revision, call],
    queryFn: () => ask(call, "tell"),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const act = async (take: Take) => {
    if (await attempt(() => ask(call, take))) tell(take === "trim" ? "Trimmed to the music." : "Loaded whole again.");
  };
  const sum = (of: (r: { preloadMib: number; trimmedMib: number }) => number) =>
    data?.rows.reduce((n, r) => n + of(r), 0) ?? 0;
  return (
    <Floating
      title={`Trim to the music of ${sheet.calls.byId.get(call)?.name ?? ""}`}
      open
      onOpenChange={close}
      className="w-[760px]"
    >
      {error && <p className="text-accent">! {error.message}</p>}
      {data && (
        <>
          <div className="min-h-0 flex-1 overflow-y-auto border-line border-y">
            <table className="w-full text-left" aria-label="Trims">
              <thead className="sticky top-0 bg-paper">
                <tr className="text-soft">
                  <th className="py-1 pl-1 font-normal">Instrument</th>
                  <th className="text-right font-normal">On disk</th>
                  <th className="text-right font-normal">Whole</th>
                  <th className="text-right font-normal">Trimmed</th>
                  <th className="pl-4 font-normal">Zones</th>
                </tr>
              </thead>
              <tbody className="tabular-nums">
                {data.rows.map((r) => {
                  const missed = states.get(r.instrument)?.missed ?? 0;
                  const name = sheet.instruments.byId.get(r.instrument)?.name;
                  return (
                    <tr key={r.instrument} className="odd:bg-band" data-trim={name}>
                      <td className="py-1 pl-1">
                        {name}
                        {r.beside > 0 && (
                          <span className="text-[12px] text-soft"> and {plural(r.beside, "row")} of its player</span>
                        )}
                        {r.trimmed && <span className="text-[12px] text-soft"> trimmed</span>}
                        {r.stale && (
                          <span className="block text-[12px] text-accent">! its notes have changed; trim it again</span>
                        )}
                        {missed > 0 && (
                          <span className="block text-[12px] text-accent">
                            ! {plural(missed, "note")} outside it, loaded on demand
                          </span>
                        )}
                      </td>
                      <td className="text-right text-soft">{mib(r.fullMib)}</td>
                      <td className="text-right">{mib(r.preloadMib)}</td>
                      <td className="text-right">{r.of > 0 ? mib(r.trimmedMib) : ""}</td>
                      <td className="max-w-[300px] pl-4 text-soft">{r.why || `${r.zones} of ${r.of}`}</td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          </div>
          <div className="mt-3 flex items-center gap-2">
            <span data-part="trim-sum">
              {mib(sum((r) => r.preloadMib))} whole, {mib(sum((r) => r.trimmedMib))} trimmed, without players
            </span>
            <button
              type="button"
              className="button ml-auto"
              disabled={!data.rows.some((r) => r.trimmed)}
              onClick={() => void act("whole")}
            >
              Load whole
            </button>
            <button
              type="button"
              className="button button-main"
              disabled={!data.rows.some((r) => r.of > 0)}
              onClick={() => void act("trim")}
            >
              Trim
            </button>
          </div>
        </>
      )}
    </Floating>
  );
}
