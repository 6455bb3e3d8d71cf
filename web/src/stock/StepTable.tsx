import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { day } from '../lib/date';
import { quantity } from '../lib/decimal';

export interface StockStep {
  day: string;
  kind: string;
  number: number;
  words: string;
  change: string;
  projected: string;
}

interface Props {
  today: string;
  beginsAt: string;
  unit: string;
  steps: readonly StockStep[];
  /** what can be done about some, by kind and number */
  acts?: Readonly<Record<string, ReactNode>>;
  /** rows below those of known days */
  children?: ReactNode;
}

/** What comes and goes of an item by date, and what there is after it. */
export function StepTable({ today, beginsAt, unit, steps, acts, children }: Props) {
  return (
    <div className="overflow-x-auto">
      <table className="rows" aria-label="Supply and demand by date">
        <thead>
          <tr>
            <th className="pl-4!">Day</th>
            <th>what</th>
            <th className="num">comes</th>
            <th className="num">goes</th>
            <th className="num pr-4!">then there are</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td className="pl-4! whitespace-nowrap">{day(today)}</td>
            <td className="text-quiet">may be used today</td>
            <td />
            <td />
            <td className="num pr-4!">
              {quantity(beginsAt)}
              <span className="unit">{unit}</span>
            </td>
          </tr>
          {steps.map((step) => (
            <StepRow key={`${step.kind}${step.number}${step.day}${step.change}${step.projected}`} step={step} act={acts?.[`${step.kind} ${step.number}`]} />
          ))}
          {children}
        </tbody>
      </table>
    </div>
  );
}

/** Where each kind of thing that moves stock is shown; a proposal is none yet. */
const pages: Readonly<Record<string, (number: number) => string>> = {
  'production order': (number) => `/orders/${number}`,
  'purchase order': (number) => `/buy/${number}`,
  'customer order': (number) => `/sell/${number}`,
  transfer: () => '/release/transfers',
  forecast: () => '/sell/forecasts',
};

/** A demand or a supply by its kind and number, as the way to it. */
export function Origin({ kind, number }: { kind: string; number: number }) {
  const to = pages[kind]?.(number);
  if (!to) return kind === 'proposal' ? <span className="text-act">proposed</span> : <span className="text-attention">{kind}</span>;
  return (
    <Link className="code quiet-link" to={to}>
      {kind === 'production order' ? number : kind === 'forecast' ? kind : `${kind} ${number}`}
    </Link>
  );
}

function StepRow({ step, act }: { step: StockStep; act: ReactNode }) {
  const goes = step.change.startsWith('-');
  return (
    <tr>
      <td className="pl-4! whitespace-nowrap">{day(step.day)}</td>
      <td className="w-full">
        <Origin kind={step.kind} number={step.number} /> {step.words} {act}
      </td>
      <td className="num">{goes ? '' : quantity(step.change)}</td>
      <td className="num">{goes ? quantity(step.change.slice(1)) : ''}</td>
      <td className={`num pr-4! ${step.projected.startsWith('-') ? 'font-semibold text-attention' : ''}`}>{quantity(step.projected)}</td>
    </tr>
  );
}
