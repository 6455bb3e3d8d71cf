import { useState } from 'react';
import type { OwnFormProps } from '../../commands/form';
import type { Inputs } from '../../commands/inputs';
import type { Row } from '../../commands/rows';
import { RowsEntry } from '../../commands/RowsEntry';
import { Entry, Field, NumberEntry } from '../../ui/Field';

/** Orders to pick for on one walk, as numbers with commas or spaces; a part of one as 1012.2. */
export function MakePickListForm({ given, onGiven }: OwnFormProps<Inputs['make-pick-list']>) {
  const [numbers, setNumbers] = useState(String(given['order'] ?? ''));
  const [place, setPlace] = useState('');
  const change = (text: string, to: string) => {
    setNumbers(text);
    setPlace(to);
    const orders = ordersOf(text);
    onGiven(orders && orders.length > 0 ? { orders, ...(to ? { to_place: to } : {}) } : null, `Make a pick list for ${orders?.map((o) => o.order).join(', ') ?? ''}`);
  };
  return (
    <div className="space-y-2">
      <Field label="Orders" hint="several with commas; one part as 1012.2">
        {(id, hint) => <Entry id={id} aria-describedby={hint} value={numbers} onChange={(e) => change(e.target.value, place)} />}
      </Field>
      <Field label="All to" hint="a floor place or a carrier; empty: to each work center's floor place">
        {(id, hint) => <Entry id={id} aria-describedby={hint} value={place} onChange={(e) => change(numbers, e.target.value)} />}
      </Field>
      <Begin numbers={numbers} onBegin={() => change(numbers, place)} />
    </div>
  );
}

/** What was handed over by a page is previewed as soon as the form is there. */
function Begin({ numbers, onBegin }: { numbers: string; onBegin: () => void }) {
  const [isBegun, setBegun] = useState(false);
  if (!isBegun && numbers !== '') {
    setBegun(true);
    queueMicrotask(onBegin);
  }
  return null;
}

/** Return the orders that are named, or null where one is no number. */
export function ordersOf(text: string): { order: number; tranche?: number }[] | null {
  const found = [];
  for (const word of text.split(/[\s,;]+/).filter(Boolean)) {
    const match = /^(\d{1,9})(?:\.(\d{1,4}))?$/.exec(word);
    if (!match) return null;
    found.push({ order: Number(match[1]), ...(match[2] ? { tranche: Number(match[2]) } : {}) });
  }
  return found;
}

const kinds = ['lot', 'serial', 'item', 'place', 'carrier'].map((k) => ({ value: k, words: k }));

/** Labels to print. */
export function PrintLabelsForm({ given, onGiven }: OwnFormProps<Inputs['print-labels']>) {
  const [rows, setRows] = useState<Row[]>((given['labels'] as Row[] | undefined) ?? [{ kind: 'lot' }]);
  const [copies, setCopies] = useState('1');
  const change = (next: Row[], times: string) => {
    setRows(next);
    setCopies(times);
    const labels = next.filter((r) => r['code']).map((r) => ({ kind: r['kind'] ?? 'lot', code: r['code'] ?? '', of: r['of'] ?? '' }));
    const isWhole = labels.length > 0 && /^[1-9]\d?$|^100$/.test(times);
    onGiven(isWhole ? { labels, copies: Number(times) } : null, labels.length === 1 ? 'Print the label' : `Print ${labels.length} labels`);
  };
  return (
    <div className="space-y-2">
      <RowsEntry
        legend="What the labels are of"
        add="Add a label"
        columns={[
          { name: 'kind', label: 'kind', kind: 'choice', className: 'w-24!', options: kinds },
          { name: 'code', label: 'code', kind: 'text', className: 'w-28!' },
          { name: 'of', label: 'of item', kind: 'text', className: 'w-24!' },
        ]}
        rows={rows}
        onRows={(next) => change(next, copies)}
      />
      <Field label="Copies of each">{(id) => <NumberEntry id={id} value={copies} onValue={(v) => change(rows, v)} />}</Field>
      <Begin numbers={rows.some((r) => r['code']) ? 'given' : ''} onBegin={() => change(rows, copies)} />
    </div>
  );
}

