import { values } from '../../api/values';
import { Button } from '../../ui/Button';
import { asSaid, ChoiceEntry, Entry, NumberEntry } from '../../ui/Field';
import type { DraftGrade, DraftWhole } from './draft';

/** what an output weighs, by the rule */
const weightWords: Record<DraftWhole['share_rule'], string> = {
  'relative sales value': 'price of one, at split-off',
  'physical measure': 'mass, area or volume of one',
  'net realizable value': 'net realizable value of one',
  'fixed shares': 'its share of the cost, such as 0.6',
};

/** How what leaves together shares its cost: co-products by a rule, grades by their shares. */
export function DraftOutputs({
  whole,
  hasCoProducts,
  onChange,
}: {
  whole: DraftWhole;
  hasCoProducts: boolean;
  onChange: (patch: Partial<DraftWhole>) => void;
}) {
  const setGrade = (n: number, patch: Partial<DraftGrade>) =>
    onChange({ grades: whole.grades.map((g, k) => (k === n ? { ...g, ...patch } : g)) });
  return (
    <section aria-label="Outputs" className="space-y-1.5 border-t border-hair-strong px-4 py-2 text-[13px] text-quiet">
      {hasCoProducts && (
        <div className="flex flex-wrap items-center gap-x-5 gap-y-1.5">
          <label className="flex items-center gap-1.5">
            The joint cost is divided by
            <ChoiceEntry className="w-48!" words={asSaid(values.ShareRule)} value={whole.share_rule} onValue={(share_rule) => onChange({ share_rule })} />
          </label>
          <label className="flex items-center gap-1.5">
            the item itself weighs
            <NumberEntry className="w-20!" value={whole.main_weight} onValue={(main_weight) => onChange({ main_weight })} />
          </label>
          <span>{weightWords[whole.share_rule]}</span>
        </div>
      )}
      {whole.grades.map((g, n) => (
        <div key={n} className="flex flex-wrap items-center gap-x-5 gap-y-1.5">
          <label className="flex items-center gap-1.5">
            Grade
            <Entry className="code w-36!" list="all-items" aria-label={`Item of grade ${n + 1}`} value={g.item} onChange={(e) => setGrade(n, { item: e.target.value })} />
          </label>
          <label className="flex items-center gap-1.5">
            expected %
            <NumberEntry className="w-16!" aria-label={`Share of grade ${n + 1}`} value={g.share} onValue={(share) => setGrade(n, { share })} />
          </label>
          <label className="flex items-center gap-1.5">
            worth, against the others
            <NumberEntry className="w-16!" aria-label={`Weight of grade ${n + 1}`} value={g.weight} onValue={(weight) => setGrade(n, { weight })} />
          </label>
          <Button look="link" aria-label={`Remove grade ${n + 1}`} onClick={() => onChange({ grades: whole.grades.filter((_, k) => k !== n) })}>
            remove
          </Button>
        </div>
      ))}
      <Button look="link" onClick={() => onChange({ grades: [...whole.grades, { item: '', share: '', weight: '1' }] })}>
        {whole.grades.length > 0 ? 'Add another grade' : 'Sort the output into grades'}
      </Button>
    </section>
  );
}
