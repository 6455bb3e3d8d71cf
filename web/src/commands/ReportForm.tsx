import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { basicsOptions, type Order, orderOptions, postingOptions, type Posting } from '../api/queries';
import { isZero, plain, quantity } from '../lib/decimal';
import { Button } from '../ui/Button';
import { Field, NumberEntry } from '../ui/Field';
import { Loaded } from '../ui/States';
import type { Given } from './forms';
import { GradesEntry } from './SimpleForm';
import {
  dueReport,
  outputsOf,
  nextOperation,
  reportAct,
  reportedOperations,
  reportGiven,
  type ReportEntry,
  timesOf,
  withReceipt,
} from './reportEntry';

interface Props {
  given: Given;
  onGiven: (given: Given, act: string) => void;
}

/** The run report: pieces, scrap, by-products, times and receipt in one entry, filled in with what is due. */
export function ReportForm({ given, onGiven }: Props) {
  const order = useQuery(orderOptions(Number(given['order'])));
  return <Loaded query={order}>{(o) => <Entries order={o} given={given} onGiven={onGiven} />}</Loaded>;
}

/** A report's correction: the same entry, filled in with what the posting says. */
export function CorrectReportForm({ given, onGiven }: Props) {
  const posting = useQuery(postingOptions(Number(given['posting'])));
  const order = useQuery({ ...orderOptions(posting.data?.order ?? 0), enabled: posting.data !== undefined });
  return (
    <Loaded query={posting}>
      {(p) => (
        <Loaded query={order}>
          {(o) => <Entries order={o} given={given} onGiven={onGiven} corrects={p} />}
        </Loaded>
      )}
    </Loaded>
  );
}

function entryOf(posting: Posting, reasons: { code: string; name: string }[]): ReportEntry {
  const operation = posting.operation ?? 0;
  const here = posting.units.filter((u) => u.operation === operation);
  const good = here.find((u) => u.is_good)?.quantity ?? '0';
  return {
    order: posting.order ?? 0,
    operation,
    good: plain(good),
    scrap: here
      .filter((u) => !u.is_good)
      .map((u) => ({
        reason: reasons.find((r) => r.name === u.reason)?.code ?? '',
        quantity: plain(u.quantity),
      })),
    by_products: posting.stock
      .filter((s) => s.operation === operation && s.from_place === 'Work in process')
      .map((s) => ({ item: s.item, quantity: plain(s.quantity) })),
    hours: Object.fromEntries(
      posting.times.filter((t) => t.operation === operation).map((t) => [t.kind, plain(t.quantity)]),
    ),
    receive: '',
    grades: [],
    complete: false,
    corrects: posting.number,
  };
}

function Entries({ order, given, onGiven, corrects }: Props & { order: Order; corrects?: Posting }) {
  const basics = useQuery(basicsOptions());
  const reasons = basics.data?.reasons.filter((r) => r.use === 'scrap') ?? [];
  const [entry, setEntry] = useState<ReportEntry | null>(null);
  if (entry === null) {
    if (basics.data === undefined) return null;
    const first = corrects
      ? entryOf(corrects, reasons)
      : dueReport(order, Number(given['operation'] ?? nextOperation(order)));
    setEntry(first);
    queueMicrotask(() => onGiven(reportGiven(first), reportAct(first)));
    return null;
  }
  const change = (next: ReportEntry) => {
    setEntry(next);
    onGiven(reportGiven(next), reportAct(next));
  };
  const here = order.operations.find((o) => o.number === entry.operation);
  const isLast = reportedOperations(order).at(-1)?.number === entry.operation;
  const byProducts = outputsOf(order, entry.operation);
  return (
    <div className="space-y-1.5">
      <Field label="Operation">
        {(id) => (
          <select
            id={id}
            className="entry"
            disabled={corrects !== undefined}
            value={entry.operation}
            onChange={(e) => change(dueReport(order, Number(e.target.value)))}
          >
            {reportedOperations(order).map((o) => (
              <option key={o.number} value={o.number}>
                {o.number} {o.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Good" hint={here && !corrects ? `${quantity(here.due)} ${order.unit} due here` : undefined}>
        {(id, hint) => (
          <NumberEntry
            id={id}
            aria-describedby={hint}
            autoFocus
            value={entry.good}
            onValue={(good) => change(withReceipt(order, { ...entry, good }))}
          />
        )}
      </Field>
      {entry.scrap.map((s, n) => (
        <Field key={n} label={n === 0 ? 'Scrap' : ''}>
          {(id) => (
            <span className="flex gap-1">
              <NumberEntry
                id={id}
                aria-label={`Scrap quantity ${n + 1}`}
                className="max-w-20"
                value={s.quantity}
                onValue={(q) => change({ ...entry, scrap: entry.scrap.with(n, { ...s, quantity: q }) })}
              />
              <select
                className="entry"
                aria-label={`Scrap reason ${n + 1}`}
                value={s.reason}
                onChange={(e) => change({ ...entry, scrap: entry.scrap.with(n, { ...s, reason: e.target.value }) })}
              >
                {reasons.map((r) => (
                  <option key={r.code} value={r.code}>
                    {r.name}
                  </option>
                ))}
              </select>
            </span>
          )}
        </Field>
      ))}
      <div className="pl-[124px]">
        <Button
          look="link"
          onClick={() =>
            change({ ...entry, scrap: [...entry.scrap, { reason: reasons[0]?.code ?? '', quantity: '' }] })
          }
        >
          {entry.scrap.length ? 'Another scrap reason' : 'Add scrap'}
        </Button>
      </div>
      {byProducts.map((b) => {
        const at = entry.by_products.findIndex((line) => line.item === b.code);
        return (
          <Field key={b.code} label={b.name} hint={`${quantity(b.still)} ${b.unit} expected`}>
            {(id, hint) => (
              <NumberEntry
                id={id}
                aria-describedby={hint}
                value={entry.by_products[at]?.quantity ?? ''}
                onValue={(q) => {
                  const line = { item: b.code, quantity: q };
                  const lines = at < 0 ? [...entry.by_products, line] : entry.by_products.with(at, line);
                  change({ ...entry, by_products: lines });
                }}
              />
            )}
          </Field>
        );
      })}
      {timesOf(order, entry.operation).map((t) => (
        <Field key={t.kind} label={`${t.kind[0]?.toUpperCase()}${t.kind.slice(1)}, h`}>
          {(id) => (
            <NumberEntry
              id={id}
              placeholder={`standard ${quantity(t.still)}`}
              value={entry.hours[t.kind] ?? ''}
              onValue={(h) => change({ ...entry, hours: { ...entry.hours, [t.kind]: h } })}
            />
          )}
        </Field>
      ))}
      {isLast && !corrects && (
        <>
          <Field label="Receive" hint={`${quantity(order.received)} of ${quantity(order.quantity)} received`}>
            {(id, hint) => (
              <NumberEntry
                id={id}
                aria-describedby={hint}
                value={entry.receive}
                onValue={(receive) => change({ ...entry, receive })}
              />
            )}
          </Field>
          {!isZero(entry.receive || '0') && (
            <GradesEntry order={order.number} rows={entry.grades} onRows={(rows) => change({ ...entry, grades: rows.map((r) => ({ item: r['item'] ?? '', quantity: r['quantity'] ?? '' })) })} />
          )}
          <Field label="Complete">
            {(id) => (
              <input
                id={id}
                type="checkbox"
                checked={entry.complete}
                onChange={(e) => change({ ...entry, complete: e.target.checked })}
              />
            )}
          </Field>
        </>
      )}
    </div>
  );
}
