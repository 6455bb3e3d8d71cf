import { useQuery } from '@tanstack/react-query';
import { Link, useParams, useSearchParams } from 'react-router';
import { shortDay } from '../../lib/date';
import { quantity } from '../../lib/decimal';
import { Origin } from '../../stock/StepTable';
import { NumberEntry } from '../../ui/Field';
import { Empty, Loaded } from '../../ui/States';
import { type Chain, type ChainLink, chainOptions, chainOf } from './queries';

/** Who waits for a supply, up to the customers; or what a demand waits for, down to what is bought. */
export function ChainPage() {
  const item = useParams()['item'] ?? '';
  const [query, setQuery] = useSearchParams();
  const of = chainOf(query);
  const found = useQuery(chainOptions(item, of));
  const setLate = (late: string) => setQuery({ ...Object.fromEntries(query), late }, { replace: true });
  return (
    <article className="pt-2 pb-4">
      <header className="px-4 pb-2">
        <h2>
          {of.way === 'up' ? 'Who waits for ' : 'What is waited for: '}
          {found.data?.name}{' '}
          <Link className="code quiet-link" to={`/plan/items/${encodeURIComponent(item)}`}>
            {item}
          </Link>
        </h2>
        <p className="text-quiet">
          {of.way === 'up' ? 'of ' : 'by '}
          {of.source === 'stock' ? 'stock' : of.source === 'proposal' ? 'what is proposed' : <Origin kind={of.source} number={of.number} />}
          {of.line > 0 && `, line ${of.line}`}
        </p>
        {of.way === 'up' && of.source !== 'stock' && (
          <label className="flex items-center gap-2 pt-1">
            If it comes
            <NumberEntry className="w-16!" aria-label="Working days later" value={query.get('late') ?? '0'} onValue={setLate} />
            working days later than it says
          </label>
        )}
      </header>
      <Loaded query={found}>{(chain) => <Shown chain={chain} way={of.way} />}</Loaded>
    </article>
  );
}

function Shown({ chain, way }: { chain: Chain; way: 'up' | 'down' }) {
  if (chain.links.length === 0) return <Empty>{way === 'up' ? 'Nobody waits for it: neither an order nor a customer is served by it.' : 'It is wanted no more.'}</Empty>;
  return (
    <>
      {way === 'down' ? <Verdict chain={chain} /> : <Reached chain={chain} />}
      <table className="rows" aria-label={way === 'up' ? 'Who waits for it' : 'What it waits for'}>
        <thead>
          <tr>
            <th className="pl-4!">Item</th>
            <th className="num">quantity</th>
            <th>goes to</th>
            <th>covered by</th>
            <th className="pr-4!">in time</th>
          </tr>
        </thead>
        <tbody>
          {chain.links.map((n, at) => (
            <LinkRow key={at} link={n} />
          ))}
        </tbody>
      </table>
      {chain.is_cut && <p className="px-4 py-2 text-quiet">There is more than is shown; what is beyond is not counted in.</p>}
    </>
  );
}

/** What makes a demand late, said in a sentence. */
function Verdict({ chain }: { chain: Chain }) {
  const top = chain.path[0];
  const cause = chain.path.at(-1);
  if (!top || !cause) return <p className="px-4 pb-2">Everything it waits for comes in time.</p>;
  return (
    <p role="status" className="mx-4 mb-2 border-l-4 border-attention bg-attention-wash px-2 py-1">
      {top.late === null ? 'Nobody knows when it is there' : `It is there ${days(top.late)} too late`}
      {cause.supply === 'nothing' ? ': nothing covers ' : top.late === null ? ': it is not known when there is ' : ': it waits for '}
      {quantity(cause.quantity)} {cause.unit} {cause.name} <span className="code">{cause.item}</span>
      {cause.supply_number > 0 && (
        <>
          {' of '}
          {cause.supply === 'proposal' ? 'what is proposed' : <Origin kind={cause.supply} number={cause.supply_number} />}
        </>
      )}
      .
    </p>
  );
}

function Reached({ chain }: { chain: Chain }) {
  const late = chain.customers_late;
  if (late === 0) return <p className="px-4 pb-2">No customer waits longer for that.</p>;
  return (
    <p role="status" className="mx-4 mb-2 border-l-4 border-attention bg-attention-wash px-2 py-1">
      {late === 1 ? "One customer's line is" : `${late} customers' lines are`} delivered too late.
    </p>
  );
}

function LinkRow({ link: n }: { link: ChainLink }) {
  return (
    <tr>
      <td className="w-1/3 pl-4!">
        <span className="block" style={{ paddingLeft: `${n.depth * 14}px` }}>
          {n.name}{' '}
          <Link className="code quiet-link" to={`/plan/items/${encodeURIComponent(n.item)}`}>
            {n.item}
          </Link>
        </span>
      </td>
      <td className="num">
        {quantity(n.quantity)}
        <span className="unit">{n.unit}</span>
      </td>
      <td className="w-1/3">
        <End kind={n.demand} number={n.demand_number} words={n.demand_words} on={n.wanted_on} />
      </td>
      <td className="w-1/3">
        {n.supply === '' && <span className="text-quiet">stock</span>}
        {n.supply === 'nothing' && <span className="text-attention">nothing</span>}
        {n.supply_number > 0 && <End kind={n.supply} number={n.supply_number} words={n.supply_words} on={n.comes_on} />}
      </td>
      <td className={`pr-4! whitespace-nowrap ${n.late === 0 ? 'text-quiet' : 'text-attention'}`}>{n.late === 0 ? 'yes' : n.late === null ? 'not known' : `${days(n.late)} late`}</td>
    </tr>
  );
}

/** A demand or a supply: what and when, and below what it is for. */
function End({ kind, number, words, on }: { kind: string; number: number; words: string; on: string | null }) {
  return (
    <>
      <span className="whitespace-nowrap">
        <Origin kind={kind} number={number} /> {on && <span className="text-quiet">{shortDay(on)}</span>}
      </span>
      <span className="block text-[12px] leading-4 text-quiet">{words}</span>
    </>
  );
}

const days = (count: number) => (count === 1 ? 'a day' : `${count} days`);
