import type { ReactNode } from "react";

export function LeafHead({ title, note, children }: { title: string; note: ReactNode; children?: ReactNode }) {
  return (
    <header className="flex min-h-[46px] shrink-0 flex-wrap items-center gap-x-3 gap-y-1 border-line border-b px-3 py-2">
      <h2 className="text-[19px]">{title}</h2>
      <span className="min-w-0 truncate text-soft">{note}</span>
      <div className="ml-auto flex flex-wrap items-center gap-1.5">{children}</div>
    </header>
  );
}
