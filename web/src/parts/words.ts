// Numbers with units, and dates: how the screens say things.

export function bytes(count: number): string {
  if (count < 1024) return `${count} B`;
  if (count < 1024 ** 2) return `${(count / 1024).toFixed(0)} KB`;
  if (count < 1024 ** 3) return `${(count / 1024 ** 2).toFixed(1)} MB`;
  return `${(count / 1024 ** 3).toFixed(2)} GB`;
}

/** Memory in MB as people say it: in GB, halves and quarters told. */
export const gigabytes = (mb: number) => `${Number((mb / 1024).toFixed(2))} GB`;

export function many(count: number, one: string, more = `${one}s`): string {
  return `${count} ${count === 1 ? one : more}`;
}

export function when(iso: string | null | undefined): string {
  if (!iso) return "never";
  const minutes = (Date.now() - Date.parse(iso)) / 60_000;
  if (minutes < 1) return "just now";
  if (minutes < 60) return `${Math.round(minutes)} min ago`;
  if (minutes < 36 * 60) return `${Math.round(minutes / 60)} h ago`;
  return day(iso);
}

export const clock = (iso: string) => new Date(iso).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

export function day(iso: string): string {
  return new Date(iso).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });
}

/** A moment as a field for date and time has it, in local time. */
export function asTyped(iso: string): string {
  const at = new Date(iso);
  return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}

/** `Thursday 27 November, 20:00`. */
export const moment = (iso: string) =>
  `${new Date(iso).toLocaleDateString("en-GB", { weekday: "long", day: "numeric", month: "long" })}, ${clock(iso)}`;

export function duration(seconds: number): string {
  if (seconds < 0) return "";
  return seconds < 90 ? `about ${seconds} s left` : `about ${Math.round(seconds / 60)} min left`;
}

/** `Odwin Pell` → `OP`, as on the line. */
export const initials = (name: string) =>
  name
    .split(" ")
    .slice(0, 2)
    .map((word) => word.slice(0, 1))
    .join("")
    .toUpperCase();
