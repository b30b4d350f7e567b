import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  title: string;
  note?: string;
  wide?: boolean;
  /** Neither Escape nor a click beside it closes it: what is in it needs that key, or would be lost. */
  held?: boolean;
  close: () => void;
  children: ReactNode;
}

const stay = (event: Event) => event.preventDefault();

/** A dialog laid over the loom. Escape or a click beside it closes it, unless it is held; focus goes back to where it was. */
export function Over({ title, note, wide, held, close, children }: Props) {
  return (
    <Dialog.Root open onOpenChange={(open) => !open && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          onEscapeKeyDown={held ? stay : undefined}
          onInteractOutside={held ? stay : undefined}
          className={`fixed top-[9vh] left-1/2 z-50 flex max-h-[80vh] -translate-x-1/2 flex-col rounded-[4px] border border-warp bg-cloth shadow-xl ${wide ? "w-[min(760px,94vw)]" : "w-[min(520px,94vw)]"}`}
        >
          <div className="border-b border-weave px-4 pt-3 pb-2">
            <Dialog.Title className="text-[15px] font-semibold">{title}</Dialog.Title>
            {note && <p className="mt-0.5 text-[13px] text-soft">{note}</p>}
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
