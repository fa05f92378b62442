import { closeHints, every, useHint } from "../model/hints";
import { words } from "./words";

const say = words.hintLine;

/** HintLine shows one hint at a time, until each is closed for good: by its key, or here. */
export function HintLine() {
  const hint = useHint();
  if (!hint) return null;
  return (
    <div
      className="flex h-8 shrink-0 items-center gap-3 border-line border-t bg-band px-3"
      data-part="hint-line"
      data-hint={hint.id}
      role="note"
    >
      <span className="min-w-0 truncate" title={hint.text}>
        {hint.text}
      </span>
      {hint.does && (
        <button type="button" className="link shrink-0" onClick={hint.run}>
          {hint.does.text}
        </button>
      )}
      <button type="button" className="link ml-auto shrink-0 text-soft" onClick={() => closeHints([every])}>
        {say.noMoreHints}
      </button>
      <button type="button" className="button h-6 shrink-0" onClick={() => closeHints([hint.id])}>
        {say.gotIt} <span className="key">,</span>
      </button>
    </div>
  );
}
