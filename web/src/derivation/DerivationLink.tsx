import { type QueryKey, useQuery, type UseQueryOptions } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import type { ReactNode } from 'react';
import type { DerivationRow } from '../api/queries';
import { quantity } from '../lib/decimal';
import { Loaded } from '../ui/States';

const joins: Record<string, string> = {
  sum: '= sum of',
  product: '= product of',
  quotient: '= quotient of',
  negative: '= minus',
  rounded: '= rounded',
  'rounded up': '= rounded up',
  larger: '= the larger of',
  smaller: '= the smaller of',
};

/** A computed number as a quiet link that opens how it came about. */
export function DerivationLink({ children, rows, title }: { children: ReactNode; rows: DerivationRow[]; title: string }) {
  if (rows.length === 0) return <>{children}</>;
  return (
    <Opening title={title} label={children}>
      <Terms rows={rows} />
    </Opening>
  );
}

/** The same where the derivation is fetched when it is asked for. */
export function FetchedDerivation<Key extends QueryKey>({
  children,
  options,
  title,
}: {
  children: ReactNode;
  options: UseQueryOptions<DerivationRow[], Error, DerivationRow[], Key>;
  title: string;
}) {
  return (
    <Opening title={title} label={children}>
      <Fetched options={options} />
    </Opening>
  );
}

function Fetched<Key extends QueryKey>({ options }: { options: UseQueryOptions<DerivationRow[], Error, DerivationRow[], Key> }) {
  return <Loaded query={useQuery(options)}>{(rows) => <Terms rows={rows} />}</Loaded>;
}

function Opening({ title, label, children }: { title: string; label: ReactNode; children: ReactNode }) {
  return (
    <Popover.Root>
      <Popover.Trigger className="quiet-link cursor-pointer" title={`${title}: how it came about`}>
        {label}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          collisionPadding={12}
          sideOffset={4}
          aria-label={title}
          className="z-20 max-h-[70vh] w-[460px] overflow-y-auto border border-hair-strong bg-sheet p-3 shadow-[0_2px_12px_#0002]"
        >
          <p className="mb-1 font-semibold">{title}</p>
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Terms({ rows }: { rows: DerivationRow[] }) {
  return (
    <table className="rows">
      <tbody>
        {rows.map((row, n) => (
          <tr key={n}>
            <td style={{ paddingLeft: 8 + row.depth * 14 }}>
              {row.label} <span className="text-[12px] text-quiet">{joins[row.how] ?? row.source.replace(':', ' ')}</span>
            </td>
            <td className="num">
              {quantity(row.value)}
              {row.unit && <span className="unit">{row.unit}</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
