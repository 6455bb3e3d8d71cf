import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { basicsOptions } from '../../api/queries';
import type { OwnFormProps } from '../../commands/form';
import type { Inputs } from '../../commands/inputs';
import type { Row } from '../../commands/rows';
import { RowsEntry } from '../../commands/RowsEntry';
import { NumberEntry } from '../../ui/Field';
import { Loaded } from '../../ui/States';
import { countOptions, type CountOut } from './queries';

type Props = OwnFormProps<Inputs['enter-count']>;

/** What was counted of each line that is still to be counted, in walking order. */
export function CountForm({ given, onGiven }: Props) {
  const count = useQuery(countOptions(Number(given['count'])));
  return <Loaded query={count}>{(c) => <Lines count={c} onGiven={onGiven} />}</Loaded>;
}

function Lines({ count, onGiven }: { count: CountOut; onGiven: Props['onGiven'] }) {
  const left = count.lines.filter((n) => n.counted === null || n.again);
  const [typed, setTyped] = useState<Record<string, string>>({});
  const [found, setFound] = useState<Row[]>([]);
  const keyOf = (n: CountOut['lines'][number]) => [n.item, n.place, n.lot].join('\t');
  const change = (next: Record<string, string>, rows: Row[]) => {
    setTyped(next);
    setFound(rows);
    const lines = [
      ...left.filter((n) => next[keyOf(n)]).map((n) => ({ item: n.item, place: n.place, lot: n.lot, counted: next[keyOf(n)] ?? '' })),
      ...rows.filter((r) => r['item'] && r['place'] && r['counted']).map((r) => ({ item: r['item'] ?? '', place: r['place'] ?? '', lot: r['lot'] ?? '', counted: r['counted'] ?? '' })),
    ];
    onGiven(lines.length > 0 ? { count: count.number, lines } : null, `Enter ${lines.length} counted`);
  };
  const places = useQuery(basicsOptions()).data?.places ?? [];
  return (
    <div className="space-y-3">
      {left.length === 0 && <p className="text-quiet">All lines are counted.</p>}
      <table className="rows" aria-label="Lines to count">
      <thead>
        <tr>
          <th>Item</th>
          <th>at</th>
          <th className="num w-28">counted</th>
        </tr>
      </thead>
      <tbody>
        {left.map((n, at) => (
          <tr key={keyOf(n)}>
            <td>
              <span className="code" title={n.name}>
                {n.item}
              </span>{' '}
              <span className="code text-quiet">{n.lot}</span>
              {n.again && <span className="block text-[12px] text-attention">count again</span>}
            </td>
            <td className="text-[12px] text-quiet">{n.place_name}</td>
            <td className="num">
              <NumberEntry
                aria-label={`${n.item} ${n.lot} at ${n.place_name}, ${n.unit}`}
                autoFocus={at === 0}
                value={typed[keyOf(n)] ?? ''}
                onValue={(value) => change({ ...typed, [keyOf(n)]: value }, found)}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
      <RowsEntry
        legend="Found besides what is listed"
        add="Something else was found"
        columns={[
          { name: 'item', label: 'item', kind: 'text', className: 'w-24!' },
          { name: 'place', label: 'at', kind: 'choice', className: 'w-28!', options: places.map((p) => ({ value: p.code, words: p.name })) },
          { name: 'lot', label: 'lot or serial', kind: 'text', className: 'w-24!' },
          { name: 'counted', label: 'counted', kind: 'number' },
        ]}
        rows={found}
        onRows={(rows) => change(typed, rows)}
      />
    </div>
  );
}
