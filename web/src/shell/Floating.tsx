import { X } from "lucide-react";
import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { words } from "./words";

const say = words.floating;

interface Props {
  title: string;
  open: boolean;
  onOpenChange: (open: boolean) => void;
  className?: string;
  children: ReactNode;
}

/** focusFirstField starts a form where it is filled in, not on its close button. */
function focusFirstField(e: Event) {
  const field = (e.currentTarget as HTMLElement).querySelector<HTMLElement>("form :is(input:not([type=file]), select)");
  if (!field) return;
  e.preventDefault();
  field.focus();
}

/** Floating is a dialog in the middle of the window. */
export function Floating({ title, open, onOpenChange, className = "", children }: Props) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-shade" />
        <Dialog.Content
          aria-describedby={undefined}
          onOpenAutoFocus={focusFirstField}
          className={`floating -translate-x-1/2 fixed top-[9vh] left-1/2 flex max-h-[80vh] max-w-[94vw] flex-col p-4 ${className}`}
        >
          <div className="mb-3 flex items-center justify-between">
            <Dialog.Title className="text-[17px]">{title}</Dialog.Title>
            <Dialog.Close aria-label={say.close} className="grid size-7 place-items-center rounded-[3px] hover:bg-band">
              <X size={16} />
            </Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
