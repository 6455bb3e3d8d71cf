import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { basicsOptions, orderOptions, type Order } from '../../api/queries';
import { postingOptions, type Posting } from './queries';
import { isZero, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Field, NumberEntry } from '../../ui/Field';
import { Loaded } from '../../ui/States';
import type { OwnFormProps } from '../../commands/form';
import type { Inputs } from '../../commands/inputs';
import { GradesEntry } from '../../commands/EntryControl';
import { PeopleEntry } from './PeopleEntry';
import { DocumentsAt } from './OrderDocuments';
import { afterLoss, type Complete, dueReport, isSaidByPerson, nextOperation, outputsOf, reportAct, reportedOperations, type ReportEntry, reportGiven, reportOf, reworkReport, type Then, timesOf, withClock } from './reportEntry';

/** The run report: pieces, scrap, by-products, times and receipt in one entry, filled in with what is due. */
export function ReportForm({ given, onGiven }: OwnFormProps<Inputs['report']>) {
  const order = useQuery(orderOptions(Number(given['order'])));
  const operation = given['operation'] === undefined ? undefined : Number(given['operation']);
  return (
    <Loaded query={order}>
      {(o) => <Entries order={o} operation={operation} onEntry={(e) => onGiven(reportGiven(e), reportAct(e))} />}
    </Loaded>
  );
}

/** A report's correction: the same entry, filled in with what the posting says. */
export function CorrectReportForm({ given, onGiven }: OwnFormProps<Inputs['correct-report']>) {
  const posting = useQuery(postingOptions(Number(given['posting'])));
  const order = useQuery({ ...orderOptions(posting.data?.order ?? 0), enabled: posting.data !== undefined });
  return (
    <Loaded query={posting}>
      {(p) => (
        <Loaded query={order}>
          {(o) => (
            <Entries
              order={o}
              corrects={p}
              onEntry={(e) => onGiven({ posting: p.number, report: reportGiven(e) }, reportAct(e))}
            />
          )}
        </Loaded>
      )}
    </Loaded>
  );
}

interface EntriesProps {
  order: Order;
  /** that was asked for; else what is next */
  operation?: number | undefined;
  corrects?: Posting;
  onEntry: (entry: ReportEntry) => void;
}

function Entries({ order, operation, corrects, onEntry }: EntriesProps) {
  const basics = useQuery(basicsOptions());
  const reasons = basics.data?.reasons.filter((r) => r.use === 'scrap') ?? [];
  const [entry, setEntry] = useState<ReportEntry | null>(null);
  if (entry === null) {
    if (basics.data === undefined) return null;
    const first = corrects
      ? reportOf(order, corrects, reasons)
      : dueReport(order, operation ?? nextOperation(order));
    setEntry(first);
    queueMicrotask(() => onEntry(first));
    return null;
  }
  const change = (next: ReportEntry) => {
    setEntry(next);
    onEntry(next);
  };
  const here = order.operations.find((o) => o.number === entry.operation);
  const isLast = reportedOperations(order).at(-1)?.number === entry.operation;
  const byProducts = outputsOf(order, entry.operation);
  return (
    <div className="space-y-1.5">
      <DocumentsAt order={order} operation={entry.operation} />
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
      {here && !isZero(here.rework) && !corrects && (
        <Field label="Pieces">
          {(id) => (
            <select
              id={id}
              className="entry"
              value={entry.of_rework ? 'rework' : 'new'}
              onChange={(e) =>
                change((e.target.value === 'rework' ? reworkReport : dueReport)(order, entry.operation))
              }
            >
              <option value="new">worked on now</option>
              <option value="rework">out of rework, {quantity(here.rework)} set aside</option>
            </select>
          )}
        </Field>
      )}
      <Field label="Good" hint={here && !corrects ? `${quantity(entry.of_rework ? here.rework : here.due)} ${order.unit} ${entry.of_rework ? 'set aside' : 'due'} here` : undefined}>
        {(id, hint) => (
          <NumberEntry
            id={id}
            aria-describedby={hint}
            autoFocus
            value={entry.good}
            onValue={(good) => change({ ...entry, good })}
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
      {entry.scrap.length > 0 && (
        <Field label="For the lost ones">
          {(id) => (
            <select id={id} className="entry" value={entry.then} onChange={(e) => change({ ...entry, then: e.target.value as Then })}>
              {Object.entries(afterLoss).map(([value, words]) => (
                <option key={value} value={value}>
                  {words}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      {!entry.of_rework && (
        <Field label="For rework" hint={here && !isZero(here.rework) ? `${quantity(here.rework)} set aside before` : undefined}>
          {(id, hint) => (
            <NumberEntry
              id={id}
              aria-describedby={hint}
              placeholder="none set aside"
              value={entry.rework}
              onValue={(rework) => change({ ...entry, rework })}
            />
          )}
        </Field>
      )}
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
      {timesOf(order, entry.operation).some((t) => t.kind.endsWith('labour')) && (
        <PeopleEntry entry={entry} hasSetup={timesOf(order, entry.operation).some((t) => t.kind === 'setup labour')} onChange={change} />
      )}
      {timesOf(order, entry.operation).filter((t) => !isSaidByPerson(entry.people, t.kind)).map((t) => (
        <Field key={t.kind} label={`${t.kind[0]?.toUpperCase()}${t.kind.slice(1)}, h`}>
          {(id) => (
            <NumberEntry
              id={id}
              placeholder={entry.of_rework ? 'of the rework' : `standard ${quantity(t.still)}`}
              value={entry.hours[t.kind] ?? ''}
              onValue={(h) => change({ ...entry, hours: { ...entry.hours, [t.kind]: h } })}
            />
          )}
        </Field>
      ))}
      {here && !corrects && !isZero(here.worked_hours) && (
        <div className="pl-[124px]">
          <Button look="link" onClick={() => change(withClock(order, entry, here.worked_hours))}>
            Take the {quantity(here.worked_hours)} h that it ran
          </Button>
        </div>
      )}
      {!entry.of_rework && timesOf(order, entry.operation).some((t) => t.kind.startsWith('setup')) && (
        <Field label="Set up, times" hint={here && !isZero(here.times_set_up) ? `set up ${quantity(here.times_set_up)} times before` : undefined}>
          {(id, hint) => (
            <NumberEntry
              id={id}
              aria-describedby={hint}
              placeholder={String(here?.setups_due ?? 1)}
              value={entry.setups}
              onValue={(setups) => change({ ...entry, setups })}
            />
          )}
        </Field>
      )}
      <Field label="Note">
        {(id) => <input id={id} className="entry" maxLength={400} placeholder="or why more than ordered" value={entry.reason} onChange={(e) => change({ ...entry, reason: e.target.value })} />}
      </Field>
      {isLast && <Receipt order={order} entry={entry} onChange={change} />}
    </div>
  );
}

/** What the report receives, and whether that completes the order. */
function Receipt({ order, entry, onChange }: { order: Order; entry: ReportEntry; onChange: (entry: ReportEntry) => void }) {
  const isReceived = entry.receive === 'ready' || !isZero(entry.receive || '0');
  return (
    <>
      <Field label="Receive" hint={`${quantity(order.received)} of ${quantity(order.quantity)} received`}>
        {(id, hint) => (
          <NumberEntry
            id={id}
            aria-describedby={hint}
            placeholder="all that is good"
            value={entry.receive === 'ready' ? '' : entry.receive}
            onValue={(receive) => onChange({ ...entry, receive: receive === '' ? 'ready' : receive })}
          />
        )}
      </Field>
      {isReceived && (
        <GradesEntry
          order={order.number}
          rows={entry.grades}
          onRows={(rows) => onChange({ ...entry, grades: rows.map((r) => ({ item: r['item'] ?? '', quantity: r['quantity'] ?? '' })) })}
        />
      )}
      <Field label="Complete">
        {(id) => (
          <select
            id={id}
            className="entry"
            value={entry.complete}
            onChange={(e) => onChange({ ...entry, complete: e.target.value as Complete })}
          >
            <option value="when received">when all of it is received</option>
            <option value="yes">now, with what is there</option>
            <option value="no">not yet</option>
          </select>
        )}
      </Field>
    </>
  );
}
