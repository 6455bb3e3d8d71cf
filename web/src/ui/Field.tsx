import { type ComponentProps, type ReactNode, useId } from 'react';

/** A labelled entry; `hint` says what it may be or what counts if it stays empty, `error` what is wrong with it. */
export function Field({
  label,
  hint,
  error,
  children,
}: {
  label: string;
  hint?: string | undefined;
  error?: string | undefined;
  children: (id: string, describedBy: string | undefined) => ReactNode;
}) {
  const id = useId();
  return (
    <div className="grid grid-cols-[116px_1fr] items-baseline gap-x-2 max-md:grid-cols-1">
      <label htmlFor={id} className="text-quiet leading-[18px]">
        {label}
      </label>
      <div className="min-w-0">
        {children(id, error ? `${id}-error` : hint ? `${id}-hint` : undefined)}
        {error && (
          <p id={`${id}-error`} role="alert" className="mt-0.5 text-[12px] text-attention">
            {error}
          </p>
        )}
        {hint && (
          <p id={`${id}-hint`} className="mt-0.5 text-[12px] text-quiet">
            {hint}
          </p>
        )}
      </div>
    </div>
  );
}

export function Entry(props: ComponentProps<'input'>) {
  return <input autoComplete="off" spellCheck={false} {...props} className={`entry ${props.className ?? ''}`} />;
}

/** An entry for a decimal: text, with a comma taken as the point. */
export function NumberEntry({
  value,
  onValue,
  ...rest
}: Omit<ComponentProps<'input'>, 'value' | 'onChange'> & {
  value: string;
  onValue: (text: string) => void;
}) {
  return (
    <Entry
      {...rest}
      inputMode="decimal"
      className={`num ${rest.className ?? ''}`}
      value={value}
      onChange={(e) => onValue(e.target.value.replace(',', '.').replaceAll(/[^\d.-]/g, ''))}
      onFocus={(e) => e.target.select()}
    />
  );
}

/** Return words for values that say themselves. */
export const asSaid = <T extends string>(all: readonly T[]) => Object.fromEntries<string>(all.map((v) => [v, v])) as Record<T, string>;

/** Choose one of the values that are named; the words are what is read. */
export function ChoiceEntry<T extends string>({
  words,
  value,
  onValue,
  ...rest
}: Omit<ComponentProps<'select'>, 'value' | 'onChange'> & {
  words: Readonly<Record<T, string>>;
  value: T;
  onValue: (value: T) => void;
}) {
  return (
    <select {...rest} className={`entry ${rest.className ?? ''}`} value={value} onChange={(e) => onValue(e.target.value as T)}>
      {Object.entries<string>(words).map(([name, text]) => (
        <option key={name} value={name}>
          {text}
        </option>
      ))}
    </select>
  );
}
