import { X } from "lucide-react";
import { dismiss, useApp } from "../model/store";
import { words } from "./words";

const say = words.notices;

export function Notices() {
  const notices = useApp((s) => s.notices);
  return (
    <div className="-translate-x-1/2 pointer-events-none fixed bottom-10 left-1/2 z-[60] flex w-[560px] max-w-[90vw] flex-col gap-2">
      {notices.map((n) => (
        <div
          key={n.id}
          role={n.tone === "refused" ? "alert" : "status"}
          data-tone={n.tone}
          className="floating pointer-events-auto flex items-start gap-3 px-3 py-2"
        >
          {n.tone === "refused" && (
            <span aria-hidden="true" className="font-bold text-accent">
              &gt;
            </span>
          )}
          <span className="flex-1">{n.text}</span>
          <button
            type="button"
            aria-label={say.dismiss}
            className="grid size-6 place-items-center"
            onClick={() => dismiss(n.id)}
          >
            <X size={14} />
          </button>
        </div>
      ))}
    </div>
  );
}
