import { useQuery } from "@tanstack/react-query";
import { branch, lock, restore } from "../model/history";
import { openTemplate } from "../model/opening";
import { computed } from "../model/queries";
import { attempt, useApp } from "../model/store";
import { when } from "../model/template";
import { bringBack } from "../model/templates";
import { words } from "./words";

const say = words.lockedLine;

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
          ? say.asItWasAtRevision(sheet.name, at!)
          : ends
            ? say.wasDeletedItCan(sheet.name, when(ends))
            : say.isLocked(sheet.name)}
      </span>
      {of ? (
        <>
          <button
            type="button"
            className="button ml-auto"
            onClick={() => void restore(of, at!).then((ok) => ok && back())}
          >
            {say.restoreIt}
          </button>
          <button type="button" className="button" onClick={() => void branch(say.revision(sheet.name, at!))}>
            {say.workOnACopy}
          </button>
          <button type="button" className="button button-main" onClick={() => void back()}>
            {say.backToThePresent}
          </button>
        </>
      ) : (
        <>
          <button type="button" className="button ml-auto" onClick={() => void branch(say.copy(sheet.name))}>
            {say.workOnACopy}
          </button>
          {ends ? (
            <button type="button" className="button" onClick={() => void bringBack(sheet.id)}>
              {say.bringItBack}
            </button>
          ) : (
            <button type="button" className="button" onClick={() => void lock(false)}>
              {say.unlock}
            </button>
          )}
        </>
      )}
    </div>
  );
}
