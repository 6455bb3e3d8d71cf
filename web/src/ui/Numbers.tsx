import { money, quantity, unitCost, variance } from '../lib/decimal';

export function Quantity({ value, unit }: { value: string; unit?: string }) {
  return (
    <>
      {quantity(value)}
      {unit && <span className="unit">{unit}</span>}
    </>
  );
}

export function Money({ value }: { value: string }) {
  return <>{money(value)}</>;
}

export function UnitCost({ value }: { value: string }) {
  return <>{unitCost(value)}</>;
}

/** A variance with its letter: F favourable, U unfavourable; never by colour alone. */
export function VarianceText({ value }: { value: string }) {
  if (value === '') return null; // not for the reader
  const { amount, side } = variance(value);
  const colour = side === 'U' ? 'text-unfavourable' : side === 'F' ? 'text-favourable' : '';
  return (
    <span className={`whitespace-nowrap ${colour}`}>
      {amount}{' '}
      <span className="inline-block w-2.5 text-right">
        {side && (
          <abbr title={side === 'U' ? 'unfavourable' : 'favourable'} className="no-underline">
            {side}
          </abbr>
        )}
      </span>
    </span>
  );
}
