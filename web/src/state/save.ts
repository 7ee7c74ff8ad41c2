/** Saves a text, or what has been drawn, as a file of the person's own, by the browser's own way. */
export function saveFile(name: string, content: string | Blob, type: string): void {
  const blob = typeof content === 'string' ? new Blob([content], { type }) : content;
  const link = Object.assign(document.createElement('a'), {
    href: URL.createObjectURL(blob),
    download: name,
  });
  link.click();
  URL.revokeObjectURL(link.href);
}
