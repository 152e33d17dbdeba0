/** Files that are handed to whoever sits before the screen. */

/** A name as a file's. */
export function fileName(name: string, otherwise: string): string {
  return (
    name
      .replace(/[^A-Za-z0-9 _-]+/g, ' ')
      .trim()
      .slice(0, 60) || otherwise
  );
}

/** Let the browser keep a file. */
export function hand(data: Blob, name: string) {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(data);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 20_000);
}
