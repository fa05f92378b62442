import { useState } from "react";
import { words } from "./words";

const say = words.secret;

/** Secret shows a link once, to be passed on. */
export function Secret({ link, says }: { link: string; says: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <>
      <p>{say.itIsShownOnlyNow(says)}</p>
      <div className="mt-2 flex gap-2">
        <input
          className="field flex-1"
          aria-label={say.link}
          readOnly
          value={link}
          onFocus={(e) => e.currentTarget.select()}
        />
        <button
          type="button"
          className="button"
          onClick={() => void navigator.clipboard.writeText(link).then(() => setCopied(true))}
        >
          {copied ? say.copied : say.copy}
        </button>
      </div>
    </>
  );
}
