import { useState } from "react";

/** Secret shows a link once, to be passed on. */
export function Secret({ link, says }: { link: string; says: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <>
      <p>{says} It is shown only now; a new one can be made later.</p>
      <div className="mt-2 flex gap-2">
        <input
          className="field flex-1"
          aria-label="Link"
          readOnly
          value={link}
          onFocus={(e) => e.currentTarget.select()}
        />
        <button
          type="button"
          className="button"
          onClick={() => void navigator.clipboard.writeText(link).then(() => setCopied(true))}
        >
          {copied ? "Copied" : "Copy"}
        </button>
      </div>
    </>
  );
}
