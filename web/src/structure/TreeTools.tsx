import type { RefObject } from 'react';
import type { Tree } from '../api/queries';
import { useReads } from '../commands/useMay';
import { quantity } from '../lib/decimal';
import { Choices } from '../ui/Choices';
import { closedAt, closedByNeed, closedToOperations } from './tree';
import { type ColumnSet, columnSets } from './TreeCells';

/** What stands above the tree: its columns, how far it is open, and finding in it. */
export function TreeTools({
  tree,
  deepest,
  shown,
  columns,
  onColumns,
  onClosed,
  find,
  onFind,
  found,
  onNext,
  finder,
  onCostliest,
}: {
  tree: Tree;
  deepest: number;
  /** how many rows are open */
  shown: number;
  columns: ColumnSet;
  onColumns: (columns: ColumnSet) => void;
  onClosed: (closed: ReadonlySet<number>) => void;
  find: string;
  onFind: (find: string) => void;
  /** how many rows have what is looked for */
  found: number;
  onNext: (backwards: boolean) => void;
  finder: RefObject<HTMLInputElement | null>;
  onCostliest?: () => void;
}) {
  const { rows } = tree;
  const reads = useReads();
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5">
      <Choices label="Columns" options={columnSets.filter((c) => c !== 'Cost' || reads.costs)} value={columns} onChoose={onColumns} />
      <label className="flex items-center gap-1.5 text-quiet">
        Open to
        <select
          className="entry w-44"
          onChange={(e) => {
            const to = e.target.value;
            if (to === 'all') onClosed(new Set());
            else if (to === 'operations') onClosed(closedToOperations(rows));
            else if (to === 'need') onClosed(closedByNeed(rows));
            else onClosed(closedAt(rows, Number(to)));
          }}
        >
          <option value="all">all levels</option>
          <option value="operations">operations</option>
          <option value="need">what a lot of {quantity(tree.standard_lot)} lacks</option>
          {Array.from({ length: deepest }, (_, n) => (
            <option key={n} value={n + 1}>
              level {n + 1}
            </option>
          ))}
        </select>
      </label>
      <span className="relative">
        <input
          ref={finder}
          className="entry w-52"
          aria-label="Find in the structure"
          placeholder="Find, Ctrl-F"
          value={find}
          onChange={(e) => onFind(e.target.value)}
          onKeyDown={(e) => e.key === 'Enter' && (e.preventDefault(), onNext(e.shiftKey))}
        />
      </span>
      {find && (
        <span role="status" className="text-[12px] text-quiet">
          {found === 0 ? 'nothing found' : `${found} found, Enter: next`}
        </span>
      )}
      {onCostliest && (
        <button type="button" className="quiet-link cursor-pointer text-act" onClick={onCostliest}>
          Costliest component <kbd>Alt-X</kbd>
        </button>
      )}
      <span className="ml-auto text-[12px] text-quiet">
        {shown.toLocaleString()} of {rows.length.toLocaleString()} rows{tree.is_cut ? ', cut' : ''}
      </span>
    </div>
  );
}
