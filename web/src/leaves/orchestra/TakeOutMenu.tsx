import { DropdownMenu } from "radix-ui";
import { answer, api } from "../../model/api";
import { sayLeft } from "../../model/leaving";
import { take } from "../../model/saving";
import { get } from "../../model/store";
import { type Action, Actions, type Doing } from "../../parts/Actions";

/** leftOf is what of the template a format does not hold. */
const leftOf = (format: string) => {
  const path = { id: get().sheet!.id, format };
  return answer(api.GET("/api/templates/{id}/export/{format}/left", { params: { path } }));
};

const at = (format: string) => `/api/templates/${get().sheet!.id}/${format}`;

const file = (format: string, text: string): Doing => ({
  text,
  run: () => {
    take(at(`export/${format}`));
    void sayLeft(() => leftOf(format));
  },
});

/** takeOut is everything that a template leaves in. */
export const takeOut: readonly Action[] = [
  {
    text: "Handbook",
    more: [
      { text: "To print, PDF", run: () => take(at("handbook/pdf")) },
      { text: "For a browser, HTML", run: () => take(at("handbook/html")) },
    ],
  },
  {
    text: "For a sequencer",
    more: [file("dawproject", "Session, DAWproject"), file("smf", "MIDI file, a track each")],
  },
  file("score", "Empty score, MusicXML"),
  {
    text: "Routing sheet",
    more: [
      file("routing-pdf", "To print, PDF"),
      file("routing", "List, CSV"),
      file("ribbons", "Picture of the ribbons, SVG"),
    ],
  },
  {
    text: "Seating sheets",
    more: [
      file("seating-pdf", "To print, PDF"),
      file("seating", "Lists, one a machine"),
      file("addresses", "Addresses of the machines"),
    ],
  },
  file("rows", "Row list, CSV"),
  file("template", "Template file"),
];

/** TakeOutMenu writes the template in the open formats. */
export function TakeOutMenu() {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="button">Take out ▾</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating w-56 p-1" align="end" sideOffset={4}>
          <Actions list={takeOut} within="dropdown" />
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
