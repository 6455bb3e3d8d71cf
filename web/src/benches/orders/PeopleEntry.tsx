import { useQuery } from '@tanstack/react-query';
import { basicsOptions } from '../../api/queries';
import { isZero } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Field, NumberEntry } from '../../ui/Field';
import type { ReportEntry, Worked } from './reportEntry';

/** Who worked at an operation: each his own hours, with what of it was overtime. */
export function PeopleEntry({ entry, hasSetup, onChange }: { entry: ReportEntry; hasSetup: boolean; onChange: (entry: ReportEntry) => void }) {
  const people = useQuery(basicsOptions()).data?.people ?? [];
  const put = (rows: Worked[]) => onChange({ ...entry, people: rows });
  const isOver = entry.people.some((w) => !isZero(w.overtime || '0'));
  return (
    <>
      {entry.people.map((w, n) => {
        const change = (more: Partial<Worked>) => put(entry.people.with(n, { ...w, ...more }));
        return (
          <Field key={n} label={n === 0 ? 'Who' : ''}>
            {(id) => (
              <span className="flex gap-1">
                <select id={id} className="entry min-w-0 flex-1" aria-label={`Who ${n + 1}`} value={w.person} onChange={(e) => change({ person: e.target.value })}>
                  <option value="">choose a person</option>
                  {people.map((p) => (
                    <option key={p.code} value={p.code}>
                      {p.name}
                    </option>
                  ))}
                </select>
                <NumberEntry className="max-w-12 px-1!" aria-label={`Hours of person ${n + 1}`} placeholder="h" value={w.hours} onValue={(hours) => change({ hours })} />
                <NumberEntry className="max-w-14 px-1!" aria-label={`Overtime of person ${n + 1}`} placeholder="over" title="of it overtime" value={w.overtime} onValue={(overtime) => change({ overtime })} />
                <NumberEntry className="max-w-10 px-1!" aria-label={`Machines of person ${n + 1}`} placeholder="of" title="machines attended at once: this operation bears its share of the hours" value={w.machines} onValue={(machines) => change({ machines })} />
                {hasSetup && (
                  <label className="flex items-center gap-1 text-[12px]">
                    <input type="checkbox" checked={w.is_setup} onChange={(e) => change({ is_setup: e.target.checked })} /> set-up
                  </label>
                )}
                <Button look="link" aria-label={`Leave out person ${n + 1}`} onClick={() => put(entry.people.toSpliced(n, 1))}>
                  ×
                </Button>
              </span>
            )}
          </Field>
        );
      })}
      <div className="pl-[124px]">
        <Button look="link" onClick={() => put([...entry.people, { person: '', hours: '', overtime: '', is_setup: false, machines: '' }])}>
          {entry.people.length ? 'Another person' : 'Say who worked'}
        </Button>
      </div>
      {isOver && (
        <Field label="Overtime borne by">
          {(id) => (
            <select id={id} className="entry" value={entry.overtimeTo} onChange={(e) => onChange({ ...entry, overtimeTo: e.target.value as ReportEntry['overtimeTo'] })}>
              <option value="the order">the order, which caused it</option>
              <option value="the work center">the work center&rsquo;s overhead</option>
            </select>
          )}
        </Field>
      )}
    </>
  );
}
