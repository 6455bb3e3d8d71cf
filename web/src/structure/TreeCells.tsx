import { documentPath, type Tree, treeDerivationOptions, type TreeRow } from '../api/queries';
import { FetchedDerivation } from '../derivation/DerivationLink';
import { isZero, money, percent, quantity } from '../lib/decimal';
import { Quantity } from '../ui/Numbers';

export const columnSets = ['Quantity', 'Time', 'Cost', 'Stock'] as const;
export type ColumnSet = (typeof columnSets)[number];


/** The widths of level, name, code, and the columns of a set. */
export const widths: Record<ColumnSet, string> = {
  Quantity: '32px minmax(200px,1fr) 120px 110px 60px 76px 64px 120px 96px',
  Time: '32px minmax(200px,1fr) 120px 90px 100px 64px 130px',
  Cost: '32px minmax(200px,1fr) 120px 110px 110px 110px',
  Stock: '32px minmax(200px,1fr) 120px 110px 130px 120px',
};
export const heads: Record<ColumnSet, string[]> = {
  Quantity: ['used', 'per', 'allowance', 'yield', 'in one', 'issued'],
  Time: ['setup h', 'run h/unit', 'yield', 'follows'],
  Cost: ['used', 'share', 'in one, EUR'],
  Stock: ['used', 'on hand', 'enough for'],
};
export const isText = (head: string) => ['share', 'issued', 'follows', 'per'].includes(head);

/** What a row is: its name, drawings, and what opens it. */
export function What({ row, opens, isClosed, onToggle }: { row: TreeRow; opens: boolean; isClosed: boolean; onToggle: () => void }) {
  return (
    <span role="gridcell" className="flex h-full min-w-0 items-center p-0!">
      {Array.from({ length: row.depth }, (_, d) => (
        <span key={d} aria-hidden className="ml-2 h-full w-2.5 shrink-0 border-l border-hair-strong" />
      ))}
      {opens ? (
        <button
          type="button"
          tabIndex={-1}
          aria-label={`${isClosed ? 'Open' : 'Close'} ${row.name}`}
          className="w-5 shrink-0 cursor-pointer text-quiet"
          onClick={onToggle}
        >
          {isClosed ? '▸' : '▾'}
        </button>
      ) : (
        <span className="w-5 shrink-0" />
      )}
      {row.kind === 'operation' ? (
        <span className="truncate font-semibold" title={row.name}>
          <span className="mr-1.5 inline-block min-w-5">{row.operation}</span>
          {row.name}
          {row.after && <span className="ml-2 font-normal text-quiet">{afterWords(row.after)}</span>}
          {row.detail && (
            <span className="ml-2 text-[12px] font-normal text-quiet" title={row.detail}>
              {row.detail}
            </span>
          )}
        </span>
      ) : (
        <span className="truncate" title={row.name}>
          {['by-product', 'co-product', 'grade'].includes(row.kind) && <span title={row.kind}>← </span>}
          {row.name}
          {row.detail && <span className="ml-2 text-[12px] text-quiet">{row.detail}</span>}
          {row.kind === 'phantom' && <span className="ml-2 text-[12px] text-quiet">phantom</span>}
          {row.kind === 'co-product' && <span className="ml-2 text-[12px] text-quiet">co-product</span>}
          {row.revision && <span className="ml-2 text-[12px] text-quiet">rev {row.revision}</span>}
          {row.documents.map((name) => (
            <a
              key={name}
              className="quiet-link ml-2 text-[12px]"
              href={documentPath(row.code, name)}
              target="_blank"
              rel="noreferrer"
              tabIndex={-1}
              title={`Open ${name}`}
            >
              {name}
            </a>
          ))}
        </span>
      )}
    </span>
  );
}

export function afterWords(after: number[]): string {
  return after.length > 0 ? `after ${after.join(', ')}` : 'from the start';
}

/** What a row says in the columns that are chosen. */
export function Cells({
  columns,
  row,
  tree,
  revision,
}: {
  columns: ColumnSet;
  row: TreeRow;
  tree: Tree;
  revision: string;
}) {
  const cell = (content: React.ReactNode, key: string, className = 'num') => (
    <span key={key} role="gridcell" className={className}>
      {content}
    </span>
  );
  const used = cell(row.quantity !== null && <Quantity value={row.quantity} unit={row.line_unit} />, 'used');
  const yieldShare = cell(row.yield_share !== null && Number(row.yield_share) !== 1 && percent(row.yield_share), 'yield');
  switch (columns) {
    case 'Quantity':
      return (
        <>
          {used}
          {cell(row.quantity !== null && (row.per || 'unit'), 'per', 'text-quiet')}
          {cell(row.allowance !== null && !isZero(row.allowance) && percent(row.allowance), 'allowance')}
          {yieldShare}
          {cell(
            row.need !== null && (
              <FetchedDerivation options={treeDerivationOptions(tree.item, revision, row.key, 'need')} title={`Need of ${row.code}`}>
                <Quantity value={row.need} unit={row.unit} />
              </FetchedDerivation>
            ),
            'need',
          )}
          {cell(row.issue_rule, 'issued', 'text-quiet')}
        </>
      );
    case 'Time':
      return (
        <>
          {cell(row.setup_hours !== null && !isZero(row.setup_hours) && quantity(row.setup_hours), 'setup')}
          {cell(row.run_hours !== null && !isZero(row.run_hours) && quantity(row.run_hours), 'run')}
          {yieldShare}
          {cell(row.after && afterWords(row.after), 'follows', 'text-quiet')}
        </>
      );
    case 'Cost': {
      const share =
        row.cost !== null && tree.standard !== null && !isZero(tree.standard) ? Number(row.cost) / Number(tree.standard) : 0;
      return (
        <>
          {used}
          {cell(
            <span
              aria-hidden
              className={`block h-2 ${share < 0 ? 'bg-favourable' : 'bg-hair-strong'}`}
              style={{ width: `${Math.min(100, Math.abs(share) * 100)}%` }}
            />,
            'share',
            'self-center',
          )}
          {cell(
            row.cost !== null && (
              <FetchedDerivation
                options={treeDerivationOptions(tree.item, revision, row.key)}
                title={`Cost of ${row.kind === 'operation' ? row.name : row.code}`}
              >
                {money(row.cost)}
              </FetchedDerivation>
            ),
            'cost',
          )}
        </>
      );
    }
    case 'Stock':
      return (
        <>
          {used}
          {cell(row.on_hand !== null && <Quantity value={row.on_hand} unit={row.unit} />, 'hand')}
          {cell(
            row.enough_for !== null && <Quantity value={row.enough_for} unit={tree.unit} />,
            'enough',
          )}
        </>
      );
  }
}
