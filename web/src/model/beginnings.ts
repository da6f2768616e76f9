import type { Schemas } from "../api/client";

type Template = Schemas["TemplateLine"];

/** A template with its title as a heading, and the sensors it needs beside those that are there. */
export interface FoundTemplate extends Template {
  more: string[];
}

/** Templates for what lies on the bench: those that use any of it, first those that need no other sensor; all of them while
 * nothing is said of the bench. */
export function beginnings(templates: Template[], there: string[]): FoundTemplate[] {
  return templates
    .map((template) => {
      const sensors = template.drawn.parts.filter((part) => part.family !== "output");
      const more =
        there.length > 0 ? sensors.filter((part) => !there.includes(part.kind)).map((part) => part.name) : [];
      const used = sensors.length - more.length;
      return { ...template, title: headed(template.title), more: [...new Set(more)], used };
    })
    .filter((template) => there.length === 0 || template.used > 0)
    .sort((a, b) => a.more.length - b.more.length);
}

/** A name for a rig that was given none: what its template or its first sensor is. */
export function startName(lists: Schemas["Lists"] | undefined, template: string, first: string): string {
  const title =
    lists?.templates.find((each) => each.id === template)?.title ??
    lists?.kinds.find((each) => each.id === first)?.title;
  const [begins = ""] = (title ?? "bench").split(/,| from | on an? | that /);
  return headed(begins).slice(0, 60);
}

function headed(title: string): string {
  return title.charAt(0).toUpperCase() + title.slice(1);
}
