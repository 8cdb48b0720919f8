// Files that the browser saves where it saves downloads.

/** Milliseconds after which a browser has surely taken what it was given. */
const TAKEN = 10_000;

export function saveFile(content: Blob, name: string) {
  const address = URL.createObjectURL(content);
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), TAKEN);
}

export const saveJson = (value: unknown, name: string) =>
  saveFile(new Blob([JSON.stringify(value, null, 2)], { type: "application/json" }), name);
