/** Cells of a file that a person chose. */

import { linesOfCells } from '../lib/cells';
import { sendFile } from './http';
import type { components } from './schema';

type Sheet = components['schemas']['SheetOut'];

/** What such a file may be, for the choice of one. */
export const SHEETS = '.csv,.tsv,.txt,text/csv,.xlsx';

/** Return the cells of a workbook, or of text with separators, line by line. */
export async function cellsOfFile(file: File): Promise<string[][]> {
  if (/\.xlsx$/i.test(file.name)) return ((await sendFile('/api/sheets', file)) as Sheet).rows;
  return linesOfCells(await file.text(), true);
}
