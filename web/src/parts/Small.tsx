import type { ReactNode } from "react";

interface Props {
  label: string;
  off?: boolean;
  run: () => void;
  children: ReactNode;
}

/** Small is a button that shows only its icon. */
export function Small({ label, off = false, run, children }: Props) {
  return (
    <button
      type="button"
      aria-label={label}
      disabled={off}
      className="grid size-7 shrink-0 place-items-center rounded-[3px] hover:bg-chosen disabled:opacity-40"
      onClick={run}
    >
      {children}
    </button>
  );
}
