import { useQuery } from '@tanstack/react-query';
import { useParams, useSearchParams } from 'react-router';
import { compareOptions, revisionsOptions } from './queries';
import { ComparedTable } from '../../structure/ComparedTable';
import { Loaded } from '../../ui/States';

/** Two revisions of a structure, the older against the newer. */
export function ComparePage() {
  const { code = '' } = useParams();
  const [query, setQuery] = useSearchParams();
  const [old, letter] = [query.get('old') ?? '', query.get('new') ?? ''];
  const compared = useQuery(compareOptions(code, letter, old));
  const own = useQuery(revisionsOptions(code)).data?.map((r) => r.letter);
  const letters = own && [...new Set([...own, old, letter])]; // a structure of a customer's line is none of its revisions
  const choose = (name: string, value: string) => setQuery({ old, new: letter, [name]: value }, { replace: true });
  return (
    <Loaded query={compared}>
      {(c) => (
        <ComparedTable
          compared={{ ...c, old: `rev ${c.old}`, new: `rev ${c.new}` }}
          controls={
            <>
              <Letters label="Old" value={c.old} letters={letters} onChoose={(v) => choose('old', v)} />
              <Letters label="New" value={c.new} letters={letters} onChoose={(v) => choose('new', v)} />
            </>
          }
        />
      )}
    </Loaded>
  );
}

function Letters({
  label,
  value,
  letters,
  onChoose,
}: {
  label: string;
  value: string;
  letters: string[] | undefined;
  onChoose: (letter: string) => void;
}) {
  return (
    <label className="flex items-center gap-1.5 text-quiet">
      {label}
      <select className="entry w-16" value={value} onChange={(e) => onChoose(e.target.value)}>
        {letters?.map((l) => (
          <option key={l} value={l}>
            {l}
          </option>
        ))}
      </select>
    </label>
  );
}
