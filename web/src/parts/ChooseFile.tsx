import type { ReactNode } from "react";

/** musicFiles are the endings of files of music that Fanfold reads. */
export const musicFiles = ".mid,.midi,.smf,.rmi,.musicxml,.mxl,.xml,.dawproject";

interface Props {
  children: ReactNode;
  accept: string;
  label?: string;
  take: (file: File) => void;
  className?: string;
  title?: string;
}

/** ChooseFile is a button that asks for a file; the same one may be chosen again. */
export function ChooseFile({ children, accept, label, take, className = "", title }: Props) {
  return (
    <label className={`button relative ${className}`} title={title}>
      {children}
      <input
        type="file"
        accept={accept}
        className="sr-only"
        aria-label={label}
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) take(file);
        }}
      />
    </label>
  );
}
