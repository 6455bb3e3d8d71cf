import { useQuery } from '@tanstack/react-query';
import { basicsOptions, calendarsOptions, itemsOptions, ordersOptions, workCentersOptions } from '../api/queries';
import { clock, minuteOf, type Shift } from '../lib/clock';
import { Entry, Field, NumberEntry } from '../ui/Field';
import type { FieldSpec, Given } from './forms';
import { OwnUnitsEntry } from './OwnUnitsEntry';
import { WeekEntry } from './WeekEntry';

const ROLES = ['administrator', 'controller', 'engineer', 'storekeeper', 'operator', 'cost accountant', 'viewer'];

/** The entries of a command, one under the other. */
export function SimpleForm({
  fields,
  given,
  onGiven,
}: {
  fields: FieldSpec[];
  given: Given;
  onGiven: (patch: Given) => void;
}) {
  return (
    <div className="space-y-1.5">
      {fields.map((f) => (
        <OneField key={f.name} spec={f} given={given} value={given[f.name]} onValue={(v) => onGiven({ [f.name]: v })} />
      ))}
    </div>
  );
}

function OneField({
  spec,
  given,
  value,
  onValue,
}: {
  spec: FieldSpec;
  given: Given;
  value: unknown;
  onValue: (value: unknown) => void;
}) {
  const text = typeof value === 'string' || typeof value === 'number' ? String(value) : '';
  const choices = useChoices(spec);
  if (spec.kind === 'roles') {
    const held = Array.isArray(value) ? (value as string[]) : [];
    return (
      <fieldset className="grid grid-cols-[116px_1fr] gap-x-2">
        <legend className="float-left text-quiet">{spec.label}</legend>
        <div className="col-start-2">
          {ROLES.map((role) => (
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
  if (spec.kind === 'week') return <WeekEntry shifts={Array.isArray(value) ? (value as Shift[]) : []} onShifts={onValue} />;
  return (
    <Field label={spec.label} hint={spec.hint}>
      {(id, describedBy) => {
        const shared = { id, 'aria-describedby': describedBy };
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
          case 'calendar':
          case 'work center':
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
                <datalist id={`${id}-list`}>
                  {choices.map((c) => (
                    <option key={c.value} value={c.value}>
                      {c.words}
                    </option>
                  ))}
                </datalist>
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

function useChoices(spec: FieldSpec): { value: string; words: string }[] {
  const items = useQuery({ ...itemsOptions(), enabled: spec.kind.endsWith('item') });
  const orders = useQuery({ ...ordersOptions(), enabled: spec.kind === 'order' });
  const basics = useQuery({ ...basicsOptions(), enabled: spec.kind === 'place' || spec.kind === 'unit' });
  const centers = useQuery({ ...workCentersOptions(), enabled: spec.kind === 'work center' });
  const calendars = useQuery({ ...calendarsOptions(), enabled: spec.kind === 'calendar' });
  switch (spec.kind) {
    case 'calendar':
      return (calendars.data ?? []).map((c) => ({ value: c.code, words: `${c.code} ${c.name}` }));
    case 'choice':
      return (spec.options ?? []).map((o) => ({ value: o, words: o }));
    case 'unit':
      return (basics.data?.units ?? []).map((u) => ({ value: u, words: u }));
    case 'place':
      return (basics.data?.places ?? []).map((p) => ({ value: p.code, words: p.name }));
    case 'work center':
      return (centers.data ?? []).map((c) => ({ value: c.code, words: `${c.code} ${c.name}` }));
    case 'order':
      return (orders.data ?? []).map((o) => ({ value: String(o.number), words: `${o.item} ${o.state}` }));
    default:
      return (items.data ?? [])
        .filter((i) => spec.kind === 'item' || i.source === 'make')
        .map((i) => ({ value: i.code, words: i.name }));
  }
}
