import { type Control, Controller, useWatch } from 'react-hook-form';
import { EntryControl } from './EntryControl';
import type { Form } from './form';
import type { Typed } from './inputs';

/** The entries of a command, one under the other; what is wrong with one is said below it once it was left. */
export function EntriesForm({ form, control }: { form: Form; control: Control<Typed> }) {
  const typed = useWatch({ control });
  return (
    <div className="space-y-1.5">
      {form.words && <p className="text-quiet">{form.words}</p>}
      {Object.entries(form.entries).map(([name, entry]) => (
        <Controller
          key={name}
          name={name}
          control={control}
          render={({ field, fieldState }) => (
            <div
              onBlur={field.onBlur}
              ref={(row) => field.ref({ focus: () => row?.querySelector<HTMLElement>('input, select')?.focus() })}
            >
              <EntryControl entry={entry} typed={typed} value={field.value} onValue={field.onChange} error={fieldState.error?.message} />
            </div>
          )}
        />
      ))}
    </div>
  );
}
