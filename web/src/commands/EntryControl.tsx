import { useQuery } from '@tanstack/react-query';
import { basicsOptions, partnersOptions, calendarsOptions, costSetsOptions, labourGradesOptions, orderOptions, workCentersOptions } from '../api/queries';
import { values } from '../api/values';
import { clock, minuteOf, type Shift } from '../lib/clock';
import { percent } from '../lib/decimal';
import { Entry, Field, NumberEntry } from '../ui/Field';
import { FoundList } from './FoundList';
import type { Entry as EntryOf } from './entries';
import type { Typed } from './inputs';
import { LineTerms } from './LineTerms';
import { OwnUnitsEntry } from './OwnUnitsEntry';
import type { Column, Row } from './rows';
import { RowsEntry } from './RowsEntry';
import { WeekEntry } from './WeekEntry';

interface Props {
  entry: EntryOf;
  /** what else is typed in the form */
  typed: Typed;
  value: unknown;
  onValue: (value: unknown) => void;
  error?: string | undefined;
}

/** One entry of a form, by its kind. */
export function EntryControl({ entry: spec, typed: given, value, onValue, error }: Props) {
  const text = typeof value === 'string' || typeof value === 'number' ? String(value) : '';
  const choices = useChoices(spec);
  if (spec.kind === 'roles') {
    const held = Array.isArray(value) ? (value as string[]) : [];
    return (
      <fieldset className="grid grid-cols-[116px_1fr] gap-x-2">
        <legend className="float-left text-quiet">{spec.label}</legend>
        <div className="col-start-2">
          {values.Role.map((role) => (
            <label key={role} className="mr-3 inline-flex items-center gap-1">
              <input
                type="checkbox"
                checked={held.includes(role)}
                onChange={(e) => onValue(e.target.checked ? [...held, role] : held.filter((r) => r !== role))}
              />
              {role}
            </label>
          ))}
        </div>
      </fieldset>
    );
  }
  if (spec.kind === 'own units') return <OwnUnitsEntry item={String(given['code'] ?? '')} onUnits={onValue} />;
  const rows = Array.isArray(value) ? (value as Row[]) : [];
  if (spec.kind === 'layers') return <RowsEntry legend="What makes up a machine hour" add="Add a layer" columns={layerColumns} rows={rows} onRows={onValue} />;
  if (spec.kind === 'changes') return <RowsEntry legend="Changes: to a value, or by percent; * stands for any characters" add="Add a change" columns={changeColumns} rows={rows} onRows={onValue} />;
  if (spec.kind === 'stock lines') return <RowsEntry legend={spec.label} add="Add a line" columns={stockColumns} rows={rows} onRows={onValue} />;
  if (spec.kind === 'lines delivered') return <RowsEntry legend={spec.label} add="Add a line" columns={deliveredColumns} rows={rows} onRows={onValue} />;
  if (spec.kind === 'lines ordered') {
    const customer = typeof given['customer'] === 'string' ? given['customer'] : '';
    const terms = rows.map((row, n) => <LineTerms key={n} customer={customer} row={row} />);
    return <RowsEntry legend={spec.label} add="Add a line" columns={orderedColumns} rows={rows} onRows={onValue} below={terms} />;
  }
  if (spec.kind === 'lines leaving') return <RowsEntry legend={spec.label} add="Add a line" columns={leavingColumns} rows={rows} onRows={onValue} />;
  if (spec.kind === 'forecasts') return <RowsEntry legend={spec.label} add="Add a forecast" columns={forecastColumns} rows={rows} onRows={onValue} />;
  if (spec.kind === 'actual costs') return <RowsEntry legend={spec.label} add="Add a cost" columns={actualCostColumns} rows={rows} onRows={onValue} />;
  if (spec.kind === 'purchase lines') return <RowsEntry legend={spec.label} add="Add a line" columns={purchaseColumns} rows={rows} onRows={onValue} />;
  if (spec.kind === 'parts sent') return <RowsEntry legend={spec.label} add="Add a component" columns={partColumns} rows={rows} onRows={onValue} />;
  if (spec.kind === 'lots chosen') return <RowsEntry legend={spec.label} add="Choose a lot" columns={lotColumns} rows={rows} onRows={onValue} />;
  if (spec.kind === 'prices' || spec.kind === 'list prices') return <PricesEntry ours={spec.kind === 'list prices'} rows={rows} onRows={onValue} />;
  if (spec.kind === 'grades') return <GradesEntry order={Number(given['order'] ?? 0)} rows={rows} onRows={onValue} />;
  if (spec.kind === 'week') return <WeekEntry shifts={Array.isArray(value) ? (value as Shift[]) : []} onShifts={onValue} />;
  return (
    <Field label={spec.label} hint={spec.hint} error={error}>
      {(id, describedBy) => {
        const shared = { id, 'aria-describedby': describedBy, 'aria-invalid': error ? true : undefined };
        switch (spec.kind) {
          case 'number':
            return <NumberEntry {...shared} value={text} onValue={onValue} />;
          case 'minute':
            return (
              <Entry
                {...shared}
                type="time"
                value={typeof value === 'number' ? clock(value) : ''}
                onChange={(e) => onValue(minuteOf(e.target.value))}
              />
            );
          case 'check':
            return (
              <input {...shared} type="checkbox" checked={value === true} onChange={(e) => onValue(e.target.checked)} />
            );
          case 'choice':
          case 'unit':
          case 'place':
          case 'site':
          case 'customer':
          case 'supplier':
          case 'reason':
          case 'calendar':
          case 'work center':
          case 'labour grade':
          case 'cost set':
            return (
              <select {...shared} className="entry" value={text} onChange={(e) => onValue(e.target.value)}>
                {(text === '' || spec.optional) && <option value="">choose</option>}
                {choices.map((c) => (
                  <option key={c.value} value={c.value}>
                    {c.words}
                  </option>
                ))}
              </select>
            );
          case 'item':
          case 'made item':
          case 'order':
            return (
              <>
                <Entry {...shared} list={`${id}-list`} value={text} onChange={(e) => onValue(e.target.value)} />
                <FoundList id={`${id}-list`} kind={spec.kind} typed={text} />
              </>
            );
          default:
            return (
              <Entry
                {...shared}
                type={spec.kind === 'date' || spec.kind === 'password' ? spec.kind : 'text'}
                value={text}
                onChange={(e) => onValue(e.target.value)}
              />
            );
        }
      }}
    </Field>
  );
}

const changeColumns: Column[] = [
  {
    name: 'kind',
    label: 'what',
    kind: 'choice',
    className: 'w-40!',
    options: values.ChangeKind.map((k) => ({ value: k, words: k })),
  },
  { name: 'code', label: 'of', kind: 'text', className: 'w-28!' },
  { name: 'to', label: 'to', kind: 'number' },
  { name: 'by', label: 'or by percent', kind: 'percent' },
];

const stockColumns: Column[] = [
  { name: 'item', label: 'item', kind: 'text', className: 'w-28!' },
  { name: 'quantity', label: 'quantity', kind: 'number' },
  { name: 'lot', label: 'lot or serial', kind: 'text', className: 'w-28!' },
];

const partColumns: Column[] = [
  { name: 'item', label: 'component', kind: 'text', className: 'w-28!' },
  { name: 'quantity', label: 'quantity', kind: 'number', className: 'w-16!' },
  { name: 'lot', label: 'lot', kind: 'text', className: 'w-28!' },
  { name: 'place', label: 'from', kind: 'text', className: 'w-24!' },
];
const deliveredColumns: Column[] = [
  { name: 'item', label: 'item', kind: 'text', className: 'w-28!' },
  { name: 'quantity', label: 'quantity', kind: 'number' },
  { name: 'price', label: 'EUR each', kind: 'number' },
  { name: 'customer_line', label: 'their line', kind: 'text', className: 'w-20!' },
];
const orderedColumns: Column[] = [
  { name: 'item', label: 'item', kind: 'text', className: 'w-28!' },
  { name: 'quantity', label: 'quantity', kind: 'number', className: 'w-16!' },
  { name: 'wanted_on', label: 'wanted on', kind: 'date', className: 'w-32!' },
  { name: 'price', label: 'EUR each', kind: 'number', className: 'w-20!' },
];
const leavingColumns: Column[] = [
  { name: 'line', label: 'line', kind: 'number', className: 'w-14!' },
  { name: 'quantity', label: 'quantity', kind: 'number' },
  { name: 'lot', label: 'lot or serial', kind: 'text', className: 'w-28!' },
];
const forecastColumns: Column[] = [
  { name: 'item', label: 'item', kind: 'text', className: 'w-24!' },
  { name: 'item_group', label: 'or group', kind: 'text', className: 'w-24!' },
  { name: 'first_day', label: 'from', kind: 'date', className: 'w-32!' },
  { name: 'last_day', label: 'to', kind: 'date', className: 'w-32!' },
  { name: 'quantity', label: 'quantity', kind: 'number', className: 'w-16!' },
];
const actualCostColumns: Column[] = [
  { name: 'work_center', label: 'work center', kind: 'text', className: 'w-28!' },
  { name: 'kind', label: 'what', kind: 'choice', className: 'w-40!', options: values.SpendingKind.map((value) => ({ value, words: value })) },
  { name: 'amount', label: 'EUR', kind: 'number', className: 'w-28!' },
];
const purchaseColumns: Column[] = [
  { name: 'item', label: 'item', kind: 'text', className: 'w-28!' },
  { name: 'quantity', label: 'quantity', kind: 'number', className: 'w-16!' },
  { name: 'unit', label: 'unit', kind: 'text', className: 'w-14!' },
  { name: 'price', label: 'EUR each', kind: 'number' },
  { name: 'comes_on', label: 'there on', kind: 'date', className: 'w-32!' },
];

const lotColumns: Column[] = [
  { name: 'item', label: 'item', kind: 'text', className: 'w-28!' },
  { name: 'lot', label: 'lot', kind: 'text', className: 'w-28!' },
];

const layerColumns: Column[] = [
  { name: 'name', label: 'layer', kind: 'text', className: 'w-32!' },
  {
    name: 'element',
    label: 'charged to',
    kind: 'choice',
    className: 'w-36!',
    options: ['machine', 'variable overhead', 'fixed overhead'].map((e) => ({ value: e, words: e })),
  },
  { name: 'amount', label: 'EUR/h', kind: 'number' },
  { name: 'percent', label: 'or percent', kind: 'percent' },
  { name: 'of', label: 'of layer', kind: 'text', className: 'w-28!' },
];

/** Prices by quantity and time: of suppliers, or ours to customers. */
function PricesEntry({ ours, rows, onRows }: { ours: boolean; rows: Row[]; onRows: (rows: Row[]) => void }) {
  const partners = useQuery(partnersOptions());
  const named = partners.data?.filter((p) => (ours ? p.is_customer : p.is_supplier)) ?? [];
  const options = named.map((p) => ({ value: p.code, words: `${p.code} ${p.name}` }));
  const columns: Column[] = [
    {
      name: ours ? 'customer' : 'supplier',
      label: ours ? 'customer' : 'supplier',
      kind: 'choice',
      className: 'w-44!',
      options: ours ? [{ value: '', words: 'everybody' }, ...options] : options,
    },
    { name: 'price', label: 'EUR', kind: 'number' },
    { name: 'from_quantity', label: 'from quantity', kind: 'number' },
    { name: 'effective_from', label: 'from', kind: 'date', className: 'w-36!' },
    { name: 'effective_until', label: 'until', kind: 'date', className: 'w-36!' },
  ];
  const legend = ours ? 'List prices; a customer without one of their own pays what everybody does' : 'Prices; the first supplier is the one the standard buys from';
  return <RowsEntry legend={legend} add="Add a price" columns={columns} rows={rows} onRows={onRows} />;
}

/** What the output of an order is sorted into; nothing where it is not graded. */
export function GradesEntry({ order, rows, onRows }: { order: number; rows: Row[]; onRows: (rows: Row[]) => void }) {
  const found = useQuery({ ...orderOptions(order), enabled: order > 0 });
  return (
    <>
      {found.data?.grades.map((g) => (
        <Field key={g.item} label={g.name} hint={`${g.item}, ${percent(g.share)} expected`}>
          {(id, hint) => (
            <NumberEntry
              id={id}
              aria-describedby={hint}
              value={rows.find((r) => r['item'] === g.item)?.['quantity'] ?? ''}
              onValue={(quantity) => onRows([...rows.filter((r) => r['item'] !== g.item), ...(quantity ? [{ item: g.item, quantity }] : [])])}
            />
          )}
        </Field>
      ))}
    </>
  );
}

function useChoices(spec: EntryOf): { value: string; words: string }[] {
  const basics = useQuery({ ...basicsOptions(), enabled: ['place', 'site', 'reason', 'unit'].includes(spec.kind) });
  const partners = useQuery({ ...partnersOptions(), enabled: spec.kind === 'customer' || spec.kind === 'supplier' });
  const centers = useQuery({ ...workCentersOptions(), enabled: spec.kind === 'work center' });
  const grades = useQuery({ ...labourGradesOptions(), enabled: spec.kind === 'labour grade' });
  const sets = useQuery({ ...costSetsOptions(), enabled: spec.kind === 'cost set' });
  const calendars = useQuery({ ...calendarsOptions(), enabled: spec.kind === 'calendar' });
  switch (spec.kind) {
    case 'calendar':
      return (calendars.data ?? []).map((c) => ({ value: c.code, words: `${c.code} ${c.name}` }));
    case 'labour grade':
      return (grades.data ?? []).map((g) => ({ value: g.code, words: `${g.code} ${g.name}` }));
    case 'cost set':
      return (sets.data ?? []).map((s) => ({ value: String(s.number), words: `${s.state} ${s.state === 'what-if' ? s.name : (s.activated_at ?? s.frozen_at).slice(0, 10)}` }));
    case 'choice':
      return (spec.options ?? []).map((o) => ({ value: o, words: o }));
    case 'unit':
      return (basics.data?.units ?? []).map((u) => ({ value: u, words: u }));
    case 'place':
      return (basics.data?.places ?? []).map((p) => ({ value: p.code, words: p.name }));
    case 'customer':
      return (partners.data ?? []).filter((p) => p.is_customer).map((p) => ({ value: p.code, words: `${p.code} ${p.name}` }));
    case 'supplier':
      return (partners.data ?? []).filter((p) => p.is_supplier).map((p) => ({ value: p.code, words: `${p.code} ${p.name}` }));
    case 'site':
      return (basics.data?.sites ?? []).map((s) => ({ value: s.code, words: s.name }));
    case 'reason':
      return (basics.data?.reasons ?? []).filter((r) => r.use === spec.options?.[0]).map((r) => ({ value: r.code, words: r.name }));
    case 'work center':
      return (centers.data ?? []).map((c) => ({ value: c.code, words: `${c.code} ${c.name}` }));
    default:
      return [];
  }
}
