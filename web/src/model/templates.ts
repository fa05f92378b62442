import { answer, api, type Schemas } from "./api";
import { openTemplate } from "./opening";
import { attempt, tell } from "./store";
import { words } from "./words";

const say = words.templates;

export type Listed = Schemas["TemplateListed"];

/** How the list of templates can be sorted. */
export const orders = {
  changed: say.lastChanged,
  name: say.name,
  rows: say.size,
} as const;

export type Order = keyof typeof orders;

const by: Record<Order, (a: Listed, b: Listed) => number> = {
  changed: (a, b) => Date.parse(b.changedAt) - Date.parse(a.changedAt),
  name: (a, b) => a.name.localeCompare(b.name, "en", { numeric: true }),
  rows: (a, b) => b.rows - a.rows,
};

/** listed are the templates that a person looks for, in an order; those that were deleted come apart. */
export function listed(all: readonly Listed[], order: Order, words: string): { there: Listed[]; deleted: Listed[] } {
  const asked = words.toLowerCase().split(/\s+/).filter(Boolean);
  const found = all
    .filter((t) => asked.every((w) => `${t.name} ${t.about} ${t.changedBy}`.toLowerCase().includes(w)))
    .toSorted(by[order]);
  return { there: found.filter((t) => !t.endsAt), deleted: found.filter((t) => t.endsAt) };
}

const path = (id: string) => ({ params: { path: { id } } });

/** deleteTemplate deletes a template, which can be brought back for thirty days. */
export const deleteTemplate = (t: Listed) =>
  attempt(async () => {
    await answer(api.POST("/api/templates/{id}/end", path(t.id)));
    tell(say.isDeletedItCan(t.name));
    return true;
  });

/** bringBack brings back a template that was deleted, and opens it. */
export const bringBack = (id: string) =>
  attempt(async () => {
    await answer(api.POST("/api/templates/{id}/keep", path(id)));
    await openTemplate(id);
    return true;
  });
