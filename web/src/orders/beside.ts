/** Say how many notes and files there are of an order, after what else is said of it. */
export function beside({ notes, files }: { notes: number; files: number }): string {
  const counted = (n: number, one: string) => (n === 0 ? [] : [`${n} ${one}${n === 1 ? '' : 's'}`]);
  const words = [...counted(notes, 'note'), ...counted(files, 'file')].join(', ');
  return words && ` · ${words}`;
}
