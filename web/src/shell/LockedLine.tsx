import { useQuery } from "@tanstack/react-query";
import { branch, lock, restore } from "../model/history";
import { openTemplate } from "../model/opening";
import { computed } from "../model/queries";
import { attempt, useApp } from "../model/store";
import { when } from "../model/template";
import { bringBack } from "../model/templates";

/** LockedLine says that what is open cannot be changed, and what can be done. */
export function LockedLine() {
  const sheet = useApp((s) => s.sheet)!;
  const { data } = useQuery({ ...computed.templates(), enabled: sheet.locked });
  if (!sheet.locked) return null;
  const { of, at } = sheet;
  const ends = data?.find((t) => t.id === sheet.id)?.endsAt;
  const back = () => attempt(() => openTemplate(of!));
  return (
    <div
      className="flex shrink-0 items-center gap-3 border-line border-b bg-band px-3 py-1.5"
      data-part="locked"
      role="status"
    >
      <span>
        {of
          ? `${sheet.name} as it was at revision ${at}. It can only be looked at.`
          : ends
            ? `${sheet.name} was deleted. It can be brought back until ${when(ends)}.`
            : `${sheet.name} is locked.`}
      </span>
      {of ? (
        <>
          <button
            type="button"
            className="button ml-auto"
            onClick={() => void restore(of, at!).then((ok) => ok && back())}
          >
            Restore it
          </button>
          <button type="button" className="button" onClick={() => void branch(`${sheet.name}, revision ${at}`)}>
            Work on a copy
          </button>
          <button type="button" className="button button-main" onClick={() => void back()}>
            Back to the present
          </button>
        </>
      ) : (
        <>
          <button type="button" className="button ml-auto" onClick={() => void branch(`${sheet.name}, copy`)}>
            Work on a copy
          </button>
          {ends ? (
            <button type="button" className="button" onClick={() => void bringBack(sheet.id)}>
              Bring it back
            </button>
          ) : (
            <button type="button" className="button" onClick={() => void lock(false)}>
              Unlock
            </button>
          )}
        </>
      )}
    </div>
  );
}
