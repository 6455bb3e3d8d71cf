/** Cells of text that was pasted from a spreadsheet, or read from a file of values. */

/** Split a line at a separator; cells in quotes may contain it (RFC 4180). */
function cellsOf(line: string, separator: string): string[] {
  const cell = new RegExp(`(?:"((?:[^"]|"")*)"|([^${separator}]*))(?:${separator}|$)`, 'g');
  const found = [...line.matchAll(cell)].filter((m, n) => n === 0 || m.index < line.length);
  return found.map((m) => (m[1]?.replaceAll('""', '"') ?? m[2] ?? '').trim());
}

/** Return what separates the cells of a text: tabs as in a spreadsheet, else semicolons; commas in a file only. */
function separatorOf(text: string, isFile: boolean): string {
  if (text.includes('\t')) return '\t';
  return isFile && !text.includes(';') ? ',' : ';';
}

/** Return the cells of a text, line by line; empty lines are passed over. */
export function linesOfCells(text: string, isFile = false): string[][] {
  const separator = separatorOf(text, isFile);
  const lines = text.replace(/^\uFEFF/, '').replaceAll('\r', '').split('\n').filter((line) => line.trim() !== '');
  return lines.map((line) => cellsOf(line, separator));
}

/** Whether a text is more than one cell. */
export const isManyCells = (text: string) => /[\t\n]/.test(text.trim());
