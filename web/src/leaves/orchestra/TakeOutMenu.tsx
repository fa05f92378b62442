import { DropdownMenu } from "radix-ui";
import { answer, api } from "../../model/api";
import { sayLeft } from "../../model/leaving";
import { get, useApp } from "../../model/store";

const formats: [string, string][] = [
  ["dawproject", "Session for a sequencer"],
  ["smf", "MIDI file, a track each"],
  ["score", "Empty score, MusicXML"],
  ["routing", "Routing sheet, a list"],
  ["routing-pdf", "Routing sheet, to print"],
  ["ribbons", "Routing, a picture"],
  ["seating", "Seating sheets, one a machine"],
  ["seating-pdf", "Seating sheets, to print"],
  ["addresses", "Addresses of the machines"],
  ["rows", "Row list"],
  ["template", "Template file"],
];

/** leftOf is what of the template a format does not hold. */
const leftOf = (format: string) => {
  const path = { id: get().sheet!.id, format };
  return answer(api.GET("/api/templates/{id}/export/{format}/left", { params: { path } }));
};

/** TakeOutMenu writes the template in the open formats. */
export function TakeOutMenu() {
  const id = useApp((s) => s.sheet!.id);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="button">Take out ▾</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating w-56 p-1" align="end" sideOffset={4}>
          {(["pdf", "html"] as const).map((format) => (
            <DropdownMenu.Item key={format} className="menu-item" asChild>
              <a href={`/api/templates/${id}/handbook/${format}`} download>
                {format === "pdf" ? "Handbook, to print" : "Handbook, for a browser"}
              </a>
            </DropdownMenu.Item>
          ))}
          {formats.map(([format, text]) => (
            <DropdownMenu.Item
              key={format}
              className="menu-item"
              asChild
              onSelect={() => void sayLeft(() => leftOf(format))}
            >
              <a href={`/api/templates/${id}/export/${format}`} download>
                {text}
              </a>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
