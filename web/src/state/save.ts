/** Saves a text as a file of the person's own, by the browser's own way. */
export function saveFile(name: string, text: string, type: string): void {
  const link = Object.assign(document.createElement('a'), { href: URL.createObjectURL(new Blob([text], { type })), download: name });
  link.click();
  URL.revokeObjectURL(link.href);
}
