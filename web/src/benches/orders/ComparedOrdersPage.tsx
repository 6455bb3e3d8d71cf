import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { comparedOrdersOptions } from './queries';
import { ComparedTable } from '../../structure/ComparedTable';
import { Loaded } from '../../ui/States';

/** Two orders of an item as they were built, row by row. */
export function ComparedOrdersPage() {
  const { number = '', other = '' } = useParams();
  const compared = useQuery(comparedOrdersOptions(Number(number), Number(other)));
  return (
    <Loaded query={compared}>
      {(c) => (
        <ComparedTable
          compared={c}
          controls={
            <>
              {[number, other].map((n) => (
                <Link key={n} className="quiet-link text-act" to={`/orders/${n}/bridge`}>
                  Bridge of {n}
                </Link>
              ))}
              <Link className="quiet-link text-act" to={`/define/items/${encodeURIComponent(c.item)}/history`}>
                All finished
              </Link>
            </>
          }
        />
      )}
    </Loaded>
  );
}
