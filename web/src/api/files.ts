// Files on their way to the site: hashed here where that saves sending them, and sent with progress.
import { api, csrfToken, Refused, type Shape, told } from "./client";

/** Bytes. The browser's own hashing reads a file whole, and is there on secure pages only; else blocks are hashed. */
const READ_WHOLE = 64 * 1024 * 1024;

/** Files that are read and hashed at a time, and milliseconds between two tellings of how far it is. */
const AT_ONCE = 6;
const TELL_EVERY = 150;

export interface ListedFile {
  path: string;
  file: File;
}

export async function sha256(file: Blob): Promise<string> {
  const whole = file.size <= READ_WHOLE && globalThis.crypto?.subtle;
  const digest = whole
    ? new Uint8Array(await crypto.subtle.digest("SHA-256", await file.arrayBuffer()))
    : await hashedInBlocks(file);
  return [...digest].map((byte) => byte.toString(16).padStart(2, "0")).join("");
}

async function hashedInBlocks(file: Blob): Promise<Uint8Array> {
  const hash = (await import("@noble/hashes/sha2.js")).sha256.create();
  const reader = file.stream().getReader();
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return hash.digest();
    hash.update(value);
  }
}

/** Hashes a folder's files one by one: its listing, as `convoy scan` writes it. Nothing but this leaves the machine. */
export async function listing(files: ListedFile[], done: (count: number) => void, stop: AbortSignal): Promise<Blob> {
  const rows: [string, number, string][] = [];
  // The agent's own folder is nobody's game, and changes while it is looked at.
  const waiting = files.filter((one) => !/(^|\/)\.convoy\//.test(one.path)).values();
  let told = 0;
  // Several at a time: with thousands of small files most of the time is waiting for the disk, not hashing.
  const hashNext = async () => {
    for (const { path, file } of waiting) {
      stop.throwIfAborted();
      rows.push([path, file.size, await sha256(file)]);
      if (Date.now() - told > TELL_EVERY) {
        told = Date.now();
        done(rows.length);
      }
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, hashNext));
  return new Blob([JSON.stringify({ format: "convoy-listing/1", files: rows })]);
}

/** Sends a file as the body of a request. `progress` is told the share that is sent, 0 to 1. */
export function sendFile<T>(address: string, file: Blob, progress: (share: number) => void, stop: AbortSignal) {
  return new Promise<T>((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.setRequestHeader("X-CSRFToken", csrfToken());
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.responseType = "json";
    request.upload.onprogress = (event) => event.lengthComputable && progress(event.loaded / event.total);
    request.onload = () => {
      if (request.status === 200) resolve(request.response as T);
      else reject(refused(request.status, request.response as Shape["Refusal"] | null));
    };
    request.onerror = () => reject(refused(0, null));
    request.onabort = () => reject(new DOMException("stopped", "AbortError"));
    stop.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}

/** Sends files and texts as a form. */
export async function sendForm<T>(address: string, parts: Record<string, Blob | string>): Promise<T> {
  const body = new FormData();
  for (const [name, value] of Object.entries(parts)) body.append(name, value);
  const headers = { "X-CSRFToken": csrfToken() };
  let reply: Response;
  try {
    reply = await fetch(address, { method: "POST", body, headers });
  } catch {
    throw refused(0, null);
  }
  const said = await reply.json().catch(() => null);
  if (!reply.ok) throw refused(reply.status, said);
  return said as T;
}

function refused(status: number, said: Shape["Refusal"] | null): Refused {
  const away = {
    code: "away",
    what: "The site did not take the file.",
    why: "Your line may be away.",
    now: "Try again.",
  };
  return new Refused(status, said?.what ? said : { ...away, fields: {}, data: {} });
}

/** The build that a file is the archive of, if the site knows its hash. */
export async function knownFile(pack_id: string, file: File): Promise<Shape["KnownOut"] | null> {
  const hashes = [await sha256(file)];
  const known = await told(api.POST("/api/packs/{pack_id}/known", { params: { path: { pack_id } }, body: { hashes } }));
  return known[0] ?? null;
}

export const dropFile = (packId: string, file: File, progress: (share: number) => void, stop: AbortSignal) =>
  sendFile<Shape["DroppedOut"]>(
    `/api/packs/${packId}/files?name=${encodeURIComponent(file.name.slice(-200))}`,
    file,
    progress,
    stop,
  );

/** Lays a file over everything in the pack, below a folder; a ZIP may be unpacked. */
export function layOwnFile(packId: string, revision: number, folder: string, file: File, unpack: boolean) {
  const asked = new URLSearchParams({
    name: file.name.slice(-200),
    revision: String(revision),
    folder,
    unpack: String(unpack),
  });
  const stop = new AbortController().signal;
  return sendFile<Shape["OutcomeOut"]>(`/api/packs/${packId}/own-files?${asked}`, file, () => {}, stop);
}

/** Milliseconds between two questions how far the site is with a file. */
const ASK_EVERY = 1000;

/** Waits until the site has looked through a dropped file. `progress` is told the share, 0 to 1. */
export async function lookedThrough(
  pack_id: string,
  dropped: Shape["DroppedOut"],
  progress: (share: number) => void,
): Promise<void> {
  if (!dropped.reading) return;
  for (;;) {
    const path = { pack_id, sha256: dropped.sha256 };
    const far = await told(api.GET("/api/packs/{pack_id}/files/{sha256}", { params: { path } }));
    if (far.ready) return;
    progress(far.total ? far.done / far.total : 0);
    await new Promise((later) => setTimeout(later, ASK_EVERY));
  }
}

export const readFolder = (packId: string, data: Blob, progress: (share: number) => void, stop: AbortSignal) =>
  sendFile<Shape["TakeOverOut"]>(`/api/packs/${packId}/draft/folder`, data, progress, stop);

/** The files below what was dropped: folders are walked through. */
export async function filesOf(items: DataTransferItemList): Promise<{ files: File[]; folder: ListedFile[] }> {
  const entries = [...items].map((item) => item.webkitGetAsEntry()).filter((one) => one !== null);
  const files: File[] = [];
  const folder: ListedFile[] = [];
  for (const entry of entries) {
    if (entry.isFile) files.push(await fileOf(entry as FileSystemFileEntry));
    else await walk(entry as FileSystemDirectoryEntry, folder);
  }
  return { files, folder };
}

const fileOf = (entry: FileSystemFileEntry) => new Promise<File>((resolve, reject) => entry.file(resolve, reject));

async function walk(folder: FileSystemDirectoryEntry, found: ListedFile[]): Promise<void> {
  const reader = folder.createReader();
  // A reader gives some hundred entries at a time, and none when it is through.
  for (;;) {
    const entries = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (entries.length === 0) return;
    for (const entry of entries) {
      if (entry.isDirectory) await walk(entry as FileSystemDirectoryEntry, found);
      else found.push({ path: entry.fullPath.slice(1), file: await fileOf(entry as FileSystemFileEntry) });
    }
  }
}
