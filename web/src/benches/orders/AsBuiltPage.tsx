import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { asBuiltOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { ComparedTable } from '../../structure/ComparedTable';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { useMay } from '../../commands/useMay';

/** What an order took per unit, against what its structure allowed; and the draft that would say so. */
export function AsBuiltPage() {
  const number = Number(useParams()['number']);
  const built = useQuery(asBuiltOptions(number));
  const { start } = useCommands();
  const may = useMay();
  return (
    <Loaded query={built}>
      {(b) => (
        <ComparedTable
          compared={b}
          controls={
            <>
              <Link className="quiet-link text-act" to={`/orders/${number}`}>
                Order {number}
              </Link>
              {may.has('draft-structure') && (
                <Button onClick={() => start('draft-structure', b.draft)}>Draft a structure of it…</Button>
              )}
            </>
          }
        />
      )}
    </Loaded>
  );
}
