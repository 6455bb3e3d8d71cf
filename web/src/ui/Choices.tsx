/** A few exclusive choices side by side. */
export function Choices<T extends string>({
  label,
  options,
  value,
  onChoose,
}: {
  label: string;
  options: readonly T[];
  value: T;
  onChoose: (option: T) => void;
}) {
  return (
    <div role="group" aria-label={label} className="flex flex-wrap">
      {options.map((name) => (
        <button
          key={name}
          type="button"
          aria-pressed={value === name}
          onClick={() => onChoose(name)}
          className="h-7 cursor-pointer border-y border-r border-hair-strong px-2.5 first:border-l aria-pressed:bg-act aria-pressed:text-act-ink"
        >
          {name}
        </button>
      ))}
    </div>
  );
}
