import { DropdownMenu } from "radix-ui";
import { answer, api } from "../../model/api";
import { sayLeft } from "../../model/leaving";
import { take } from "../../model/saving";
import { get } from "../../model/store";
import { type Action, Actions, type Doing } from "../../parts/Actions";
import { words } from "./words";

const say = words.takeOutMenu;

/** leftOf is what a format leaves out of the template. */
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

/** takeOut is every format in which a template is written. */
export const takeOut: readonly Action[] = [
  {
    text: say.handbook,
    more: [
      { text: say.toPrintPdf, run: () => take(at("handbook/pdf")) },
      { text: say.forABrowserHtml, run: () => take(at("handbook/html")) },
    ],
  },
  {
    text: say.forASequencer,
    more: [file("dawproject", say.sessionDawproject), file("smf", say.midiFileATrackEach)],
  },
  file("score", say.emptyScoreMusicxml),
  {
    text: say.routingSheet,
    more: [
      file("routing-pdf", say.toPrintPdf),
      file("routing", say.listCsv),
      file("ribbons", say.pictureOfTheRibbonsSvg),
    ],
  },
  {
    text: say.seatingSheets,
    more: [
      file("seating-pdf", say.toPrintPdf),
      file("seating", say.listsOneAMachine),
      file("addresses", say.addressesOfTheMachines),
    ],
  },
  file("rows", say.rowListCsv),
  file("template", say.templateFile),
];

/** TakeOutMenu writes the template in the open formats. */
export function TakeOutMenu() {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="button">{say.takeOut}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating w-56 p-1" align="end" sideOffset={4}>
          <Actions list={takeOut} within="dropdown" />
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
