// Values of settings: how they are written in a field, and what is wrong with one while it is typed. The site judges
// again; this is so that nobody waits for it.
import type { Shape } from "../../../api/client";
import type { Plain, Setting } from "../../../api/settings";

export const HOW: Record<Shape["How"], string> = {
  enforced: "enforced",
  "starting value": "starting value",
  advice: "advice",
};

export const SIDES: Record<Shape["Side"], string> = {
  both: "players and server",
  player: "players alone",
  server: "the server alone",
};

/** A value as people read it. */
export function shown(value: Plain | undefined): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "boolean") return value ? "on" : "off";
  if (Array.isArray(value)) return value.map((one) => shown(one as Plain)).join(", ");
  return typeof value === "object" ? JSON.stringify(value) : String(value);
}

/** A value as its field holds it. */
export const typed = (value: Plain | undefined): string =>
  Array.isArray(value) || (typeof value === "object" && value) ? JSON.stringify(value) : String(value ?? "");

/** What the draft has: what the pack sets where that holds, else what comes with the build. */
export const now = (one: Setting): Plain => (one.to?.in_hand ? one.to.value : one.value);

/** A value to be set. A number that a browser has no place for came as text, and goes back as it is written. */
export function given(one: Setting, value: Plain): { value: Plain } | { text: string } {
  const isNumber = one.kind === "whole number" || one.kind === "number";
  return isNumber && typeof value === "string" ? { text: value } : { value };
}

export const isOn = (value: Plain): boolean => value === true || /^(true|on|yes)$/i.test(String(value));

/** The other word of a switch, in the words that the file uses. */
export function turned(value: Plain): Plain {
  if (typeof value === "boolean") return !value;
  const words: Record<string, string> = { true: "false", false: "true", yes: "no", no: "yes", on: "off", off: "on" };
  const text = String(value);
  const other = words[text.toLowerCase()] ?? "true";
  return text[0] === text[0]?.toUpperCase() ? other[0]?.toUpperCase() + other.slice(1) : other;
}

export const rangeOf = ({ lowest, highest, unit }: Setting): string => {
  const of = unit && ` ${unit}`;
  if (lowest !== null && highest !== null) return `${lowest} to ${highest}${of}`;
  if (lowest !== null) return `at least ${lowest}${of}`;
  return highest !== null ? `at most ${highest}${of}` : unit;
};

/** Why a text is no value of this setting; empty where it is one. */
export function wrong(one: Setting, text: string): string {
  if (one.kind === "whole number" && !/^[-+]?\d+$/.test(text.trim())) return "A whole number, as 12.";
  if (one.kind === "number" && (text.trim() === "" || Number.isNaN(Number(text)))) return "A number, as 0.5.";
  if (one.kind === "whole number" || one.kind === "number") {
    const number = Number(text);
    if (one.lowest !== null && number < one.lowest) return `At least ${one.lowest}.`;
    if (one.highest !== null && number > one.highest) return `At most ${one.highest}.`;
  }
  if (one.kind === "colour" && !/^#(?:[0-9a-f]{3}|[0-9a-f]{6}|[0-9a-f]{8})$/i.test(text.trim()))
    return "A colour, as #ffcf7a.";
  if (one.kind === "list" && !isList(text)) return 'A list, as ["one", "two"].';
  return "";
}

function isList(text: string): boolean {
  try {
    return Array.isArray(JSON.parse(text));
  } catch {
    return false;
  }
}

/** A key's name as the file writes such names: `like` is what stands there. */
export function keyName(key: string, like: string): string {
  const name = key === " " ? "Space" : key.replace(/^Arrow/, "");
  if (like && like === like.toLowerCase()) return name.toLowerCase();
  return name.length === 1 || (like && like === like.toUpperCase()) ? name.toUpperCase() : name;
}

/** A list of plain values as text, an entry a line; null for what cannot be written so. */
export function linesOf(value: Plain): string | null {
  if (!Array.isArray(value)) return null;
  const plain = value.every(
    (one) => typeof one === "number" || (typeof one === "string" && one.trim() === one && one && !one.includes("\n")),
  );
  return plain && new Set(value.map((one) => typeof one)).size < 2 ? value.join("\n") : null;
}

/** Such a text as a list again: of numbers where `like` is one. Null where a line is none. */
export function listOf(text: string, like: Plain): (string | number)[] | null {
  const lines = text.split("\n").flatMap((line) => line.trim() || []);
  if (!Array.isArray(like) || typeof like[0] !== "number") return lines;
  const numbers = lines.map(Number);
  return numbers.some(Number.isNaN) ? null : numbers;
}

/** An id for something new of that name; none of those `there`, whatever letters the name is written in. */
export function freeId(name: string, there: string[]): string {
  const plain = name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 36);
  const start = plain || "set";
  let id = start;
  for (let count = 2; there.includes(id); count++) id = `${start}-${count}`;
  return id;
}
