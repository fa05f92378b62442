import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answer, api, type Id } from "../../model/api";
import { attempt, get, tell, useApp } from "../../model/store";
import { mib } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.trimDialog;

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
    if (await attempt(() => ask(call, take))) tell(take === "trim" ? say.trimmedToTheMusic : say.loadedWholeAgain);
  };
  const sum = (of: (r: { preloadMib: number; trimmedMib: number }) => number) =>
    data?.rows.reduce((n, r) => n + of(r), 0) ?? 0;
  return (
    <Floating
      title={say.trimToTheMusicOf(sheet.calls.byId.get(call)?.name ?? "")}
      open
      onOpenChange={close}
      className="w-[760px]"
    >
      {error && <p className="text-accent">! {error.message}</p>}
      {data && (
        <>
          <div className="min-h-0 flex-1 overflow-y-auto border-line border-y">
            <table className="w-full text-left" aria-label={say.trims}>
              <thead className="sticky top-0 bg-paper">
                <tr className="text-soft">
                  <th className="py-1 pl-1 font-normal">{say.instrument}</th>
                  <th className="text-right font-normal">{say.onDisk}</th>
                  <th className="text-right font-normal">{say.whole}</th>
                  <th className="text-right font-normal">{say.trimmed}</th>
                  <th className="pl-4 font-normal">{say.zones}</th>
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
                          <span className="text-[12px] text-soft"> {say.andRowsOfItsPlayer(r.beside)}</span>
                        )}
                        {r.trimmed && <span className="text-[12px] text-soft"> {say.trimmed2}</span>}
                        {r.stale && (
                          <span className="block text-[12px] text-accent">{say.itsNotesHaveChangedTrim}</span>
                        )}
                        {missed > 0 && (
                          <span className="block text-[12px] text-accent">{say.notesOutsideItLoaded(missed)}</span>
                        )}
                      </td>
                      <td className="text-right text-soft">{mib(r.fullMib)}</td>
                      <td className="text-right">{mib(r.preloadMib)}</td>
                      <td className="text-right">{r.of > 0 ? mib(r.trimmedMib) : ""}</td>
                      <td className="max-w-[300px] pl-4 text-soft">{r.why || say.of(r.zones, r.of)}</td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          </div>
          <div className="mt-3 flex items-center gap-2">
            <span data-part="trim-sum">
              {say.wholeTrimmedWithoutPlayers(mib(sum((r) => r.preloadMib)), mib(sum((r) => r.trimmedMib)))}
            </span>
            <button
              type="button"
              className="button ml-auto"
              disabled={!data.rows.some((r) => r.trimmed)}
              onClick={() => void act("whole")}
            >
              {say.loadWhole}
            </button>
            <button
              type="button"
              className="button button-main"
              disabled={!data.rows.some((r) => r.of > 0)}
              onClick={() => void act("trim")}
            >
              {say.trim}
            </button>
          </div>
        </>
      )}
    </Floating>
  );
}
