import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { basicsOptions, labourGradesOptions } from '../../api/queries';
import { values } from '../../api/values';
import { Button } from '../../ui/Button';
import { asSaid, ChoiceEntry, Entry, NumberEntry } from '../../ui/Field';
import { blankStep, type DraftLine, type DraftOperation, type DraftStep, type StepKind } from './draft';

function Details({ children }: { children: ReactNode }) {
  return (
    <tr>
      <td />
      <td colSpan={9} className="h-auto! py-1.5!">
        <div className="flex flex-wrap items-center gap-x-5 gap-y-1.5 text-[13px]">{children}</div>
      </td>
    </tr>
  );
}

function Labelled({ words, children }: { words: string; children: ReactNode }) {
  return (
    <label className="flex items-center gap-1.5 text-quiet">
      {words}
      {children}
    </label>
  );
}

type Numbers = 'run_quantity' | 'machines' | 'queue_hours' | 'wait_hours' | 'move_hours' | 'transfer_quantity' | 'crew' | 'days_out' | 'subcontract_price';

/** What is said of an operation less often: its order, its people, who else does it, and how. */
export function OperationDetails({
  operation: o,
  pictures,
  components,
  onChange,
}: {
  operation: DraftOperation;
  pictures: string[];
  /** that went in by then */
  components: string[];
  onChange: (patch: Partial<DraftOperation>) => void;
}) {
  const grades = useQuery(labourGradesOptions());
  const basics = useQuery(basicsOptions());
  const suppliers = basics.data?.partners.filter((p) => p.kind === 'supplier') ?? [];
  const number = (field: Numbers, words: string) => (
    <Labelled words={words}>
      <NumberEntry
        className="w-16!"
        aria-label={`${words} of operation ${o.number}`}
        value={o[field]}
        onValue={(v) => onChange({ [field]: v })}
      />
    </Labelled>
  );
  return (
    <>
      <Details>
        <Labelled words="after">
          <Entry
            className="w-24!"
            aria-label={`Operation ${o.number} comes after`}
            placeholder="the one before"
            title="numbers of earlier operations; a dash: from the start"
            value={o.after}
            onChange={(e) => onChange({ after: e.target.value })}
          />
        </Labelled>
        {number('run_quantity', 'run hours for')}
        <label className="flex items-center gap-1.5 text-quiet">
          <input type="checkbox" checked={o.runs_whole_batches} onChange={(e) => onChange({ runs_whole_batches: e.target.checked })} />
          in whole batches
        </label>
        {number('machines', 'machines')}
        {number('transfer_quantity', 'hands over every')}
        {number('queue_hours', 'queue h')}
        {number('wait_hours', 'wait h')}
        {number('move_hours', 'move h')}
      </Details>
      <Details>
        {number('crew', 'crew at the machine')}
        <Labelled words="labour grade">
          <select
            className="entry w-44!"
            aria-label={`Labour grade of operation ${o.number}`}
            value={o.labour_grade}
            onChange={(e) => onChange({ labour_grade: e.target.value })}
          >
            <option value="">the work center's own</option>
            {grades.data?.map((g) => (
              <option key={g.code} value={g.code}>
                {g.code} {g.name}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled words="or at">
          <Entry
            className="w-28!"
            aria-label={`Alternate work centers of operation ${o.number}`}
            placeholder="codes"
            title="work centers that may do it as well, in order of preference"
            value={o.alternate_centers}
            onChange={(e) => onChange({ alternate_centers: e.target.value })}
          />
        </Labelled>
        <Labelled words="done by">
          <select
            className="entry w-44!"
            aria-label={`Supplier of operation ${o.number}`}
            value={o.supplier}
            onChange={(e) => onChange({ supplier: e.target.value })}
          >
            <option value="">us</option>
            {suppliers.map((p) => (
              <option key={p.code} value={p.code}>
                {p.code} {p.name}
              </option>
            ))}
          </select>
        </Labelled>
        {o.supplier && (
          <>
            {number('subcontract_price', 'at EUR')}
            <Labelled words="paid on">
              <ChoiceEntry
                className="w-44!"
                aria-label={`Payment basis of operation ${o.number}`}
                words={asSaid(values.PaymentBasis)}
                value={o.payment_basis}
                onValue={(payment_basis) => onChange({ payment_basis })}
              />
            </Labelled>
            {number('days_out', 'days out')}
          </>
        )}
      </Details>
      <Steps steps={o.steps} operation={o.number} pictures={pictures} components={components} onSteps={(steps) => onChange({ steps })} />
    </>
  );
}

const measureWords = { '': 'pieces or unit', ...asSaid(values.MeasuredBy) };

/** how many sizes a measure takes */
const sizesOf: Record<DraftLine['measured_by'], number> = { '': 0, length: 1, area: 2, volume: 3, mass: 3 };

const stepWords: Record<StepKind, string> = {
  text: 'read',
  picture: 'see',
  tick: 'tick',
  measurement: 'measure',
  lot: 'note the lot',
};

/** What to do and to look out for, step by step. */
function Steps({
  steps,
  operation,
  pictures,
  components,
  onSteps,
}: {
  steps: DraftStep[];
  operation: string;
  pictures: string[];
  /** that went in by then */
  components: string[];
  onSteps: (steps: DraftStep[]) => void;
}) {
  const change = (n: number, patch: Partial<DraftStep>) => onSteps(steps.map((s, k) => (k === n ? { ...s, ...patch } : s)));
  return (
    <>
      {steps.map((s, n) => {
        const name = `step ${n + 1} of operation ${operation}`;
        return (
          <Details key={n}>
            <ChoiceEntry
              className="w-28!"
              aria-label={`Kind of ${name}`}
              words={stepWords}
              value={s.kind}
              onValue={(kind) => change(n, { kind })}
            />
            <Entry
              className="w-80!"
              aria-label={`Text of ${name}`}
              placeholder={s.kind === 'measurement' ? 'What is measured' : 'What to do or to look out for'}
              value={s.text}
              onChange={(e) => change(n, { text: e.target.value })}
            />
            {s.kind === 'measurement' &&
              (['lower', 'upper'] as const).map((end) => (
                <Labelled key={end} words={end === 'lower' ? 'from' : 'to'}>
                  <NumberEntry className="w-20!" aria-label={`${end} limit of ${name}`} value={s[end]} onValue={(v) => change(n, { [end]: v })} />
                </Labelled>
              ))}
            {s.kind === 'measurement' && (
              <Entry className="w-16!" aria-label={`Unit of ${name}`} placeholder="unit" value={s.unit} onChange={(e) => change(n, { unit: e.target.value })} />
            )}
            {s.kind === 'lot' && (
              <select className="entry w-40!" aria-label={`Component of ${name}`} value={s.item} onChange={(e) => change(n, { item: e.target.value })}>
                <option value="">choose a component</option>
                {components.map((code) => (
                  <option key={code}>{code}</option>
                ))}
              </select>
            )}
            {s.kind === 'picture' && (
              <select className="entry w-40!" aria-label={`Picture of ${name}`} value={s.picture} onChange={(e) => change(n, { picture: e.target.value })}>
                <option value="">choose a document</option>
                {pictures.map((p) => (
                  <option key={p}>{p}</option>
                ))}
              </select>
            )}
            <Button look="link" aria-label={`Remove ${name}`} onClick={() => onSteps(steps.filter((_, k) => k !== n))}>
              remove
            </Button>
          </Details>
        );
      })}
      <Details>
        <Button look="link" onClick={() => onSteps([...steps, blankStep('text')])}>
          Add an instruction step to {operation}
        </Button>
      </Details>
    </>
  );
}

/** What is said of a line less often: unit, sizes, position, days, what may be used in its place. */
export function LineDetails({ line: l, onChange }: { line: DraftLine; onChange: (patch: Partial<DraftLine>) => void }) {
  const sizes = (['length', 'width', 'thickness'] as const).slice(0, sizesOf[l.measured_by]);
  return (
    <Details>
      <Labelled words="unit">
        <Entry
          className="w-20!"
          aria-label={`Unit of ${l.item}`}
          placeholder="stock unit"
          value={l.unit}
          disabled={l.measured_by !== ''}
          onChange={(e) => onChange({ unit: e.target.value })}
        />
      </Labelled>
      <Labelled words="measured by">
        <ChoiceEntry
          className="w-28!"
          aria-label={`${l.item} measured by`}
          words={measureWords}
          value={l.measured_by}
          onValue={(measured_by) => onChange({ measured_by, unit: '' })}
        />
      </Labelled>
      {sizes.map((size) => (
        <Labelled key={size} words={`${size} mm`}>
          <NumberEntry className="w-16!" aria-label={`${size} of ${l.item}`} value={l[size]} onValue={(v) => onChange({ [size]: v })} />
        </Labelled>
      ))}
      <Labelled words="position">
        <Entry className="w-32!" aria-label={`Position of ${l.item}`} value={l.reference} onChange={(e) => onChange({ reference: e.target.value })} />
      </Labelled>
      <Labelled words="mix">
        <Entry
          className="w-16!"
          aria-label={`Mix of ${l.item}`}
          title="a mark that this component shares with those at its operation that it may be exchanged for"
          value={l.mix}
          onChange={(e) => onChange({ mix: e.target.value })}
        />
      </Labelled>
      <Labelled words="or">
        <Entry
          className="w-40!"
          aria-label={`Alternates of ${l.item}`}
          placeholder="BR-14, 2 × BR-15"
          title="items that may be used in its place, in order of preference"
          value={l.alternates}
          onChange={(e) => onChange({ alternates: e.target.value })}
        />
      </Labelled>
      {(['effective_from', 'effective_until'] as const).map((end) => (
        <Labelled key={end} words={end === 'effective_from' ? 'from' : 'until'}>
          <Entry type="date" className="w-36!" aria-label={`${l.item} ${end.replace('_', ' ')}`} value={l[end]} onChange={(e) => onChange({ [end]: e.target.value })} />
        </Labelled>
      ))}
    </Details>
  );
}
