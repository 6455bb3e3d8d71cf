import { useQuery } from '@tanstack/react-query';
import { termsOptions } from '../api/queries';
import { day } from '../lib/date';
import { money, percent, unitCost } from '../lib/decimal';
import { usePaused } from '../ui/usePaused';
import type { Row } from './rows';

/** Below a line that is typed: what it costs the customer, what that leaves, and when it can be there. */
export function LineTerms({ customer, row }: { customer: string; row: Row }) {
  const asked = usePaused(JSON.stringify([row['item'] ?? '', row['quantity'] ?? '', customer, row['price'] ?? '']));
  const [item = '', quantity = '', to = '', price = ''] = JSON.parse(asked) as string[];
  const terms = useQuery(termsOptions(item, quantity, to, price)).data?.terms;
  if (!terms || !item || !quantity) return null;
  const wanted = row['wanted_on'];
  return (
    <p role="note" aria-label={`Terms of ${terms.item}`} className="w-full text-[12px] leading-4 text-quiet">
      {terms.price && terms.amount ? `${unitCost(terms.price)} EUR each, ${money(terms.amount)} EUR` : 'no price'}
      {terms.margin && (
        <span className={`whitespace-nowrap ${terms.margin.startsWith('-') ? 'text-attention' : ''}`}>
          {' '}
          leaves {money(terms.margin)} EUR{terms.share && `, ${percent(terms.share)}`}
        </span>
      )}
      <span className="block">
        There <span className={wanted && wanted < terms.day ? 'font-semibold text-attention' : 'text-ink'}>{day(terms.day)}</span> at the earliest: {terms.decides}
      </span>
    </p>
  );
}
