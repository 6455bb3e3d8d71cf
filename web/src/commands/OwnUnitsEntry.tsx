import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { ownUnitsOptions } from '../api/queries';
import { plain } from '../lib/decimal';
import { Button } from '../ui/Button';
import { Entry, NumberEntry } from '../ui/Field';

interface OwnUnit {
  name: string;
  quantity: string;
}

/** An item's own units, such as a box of 24. */
export function OwnUnitsEntry({ item, onUnits }: { item: string; onUnits: (units: OwnUnit[]) => void }) {
  const kept = useQuery({ ...ownUnitsOptions(item), enabled: item !== '' });
  const [entered, setEntered] = useState<OwnUnit[] | null>(null);
  const units = entered ?? (kept.data ?? []).map((u) => ({ name: u.name, quantity: plain(u.quantity) }));
  function change(next: OwnUnit[]) {
    setEntered(next);
    onUnits(next.filter((u) => u.name && u.quantity));
  }
  const patch = (n: number, more: Partial<OwnUnit>) => change(units.map((u, k) => (k === n ? { ...u, ...more } : u)));
  return (
    <fieldset className="grid grid-cols-[116px_1fr] gap-x-2">
      <legend className="float-left text-quiet">Own units</legend>
      <div className="col-start-2 space-y-1">
        {units.map((u, n) => (
          <div key={n} className="flex items-center gap-1.5">
            <Entry aria-label={`Name of unit ${n + 1}`} placeholder="box" value={u.name} onChange={(e) => patch(n, { name: e.target.value })} />=
            <NumberEntry aria-label={`Size of unit ${n + 1}`} value={u.quantity} onValue={(quantity) => patch(n, { quantity })} />
            <Button look="link" onClick={() => change(units.filter((_, k) => k !== n))}>
              remove
            </Button>
          </div>
        ))}
        <Button look="link" onClick={() => change([...units, { name: '', quantity: '' }])}>
          Add a unit
        </Button>
      </div>
    </fieldset>
  );
}
