import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import {
  commandsOptions,
  type Item,
  itemsOptions,
  rollUpOptions,
  standardOptions,
  stockOptions,
  treeOptions,
  whereUsedOptions,
} from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { DerivationLink } from '../../derivation/DerivationLink';
import { moment } from '../../lib/date';
import { isZero } from '../../lib/decimal';
import { StructureTree } from '../../structure/StructureTree';
import { Button } from '../../ui/Button';
import { Money, Quantity, UnitCost } from '../../ui/Numbers';
import { Empty, Loaded } from '../../ui/States';

/** An item: what it is made of and how, what it costs, where it lies and where it is used. */
export function ItemPage() {
  const { code = '' } = useParams();
  const items = useQuery(itemsOptions());
  return (
    <Loaded query={items}>
      {(rows) => {
        const item = rows.find((i) => i.code === code);
        if (!item) return <Empty>There is no item {code}.</Empty>;
        return <Page key={code} item={item} />;
      }}
    </Loaded>
  );
}

function Page({ item }: { item: Item }) {
  const { start } = useCommands();
  const may = new Set(useQuery(commandsOptions()).data?.map((c) => c.name));
  const isMade = item.source === 'make';
  const hasStructure = item.has_approved || item.has_draft;
  const tree = useQuery({ ...treeOptions(item.code), enabled: isMade && hasStructure });
  const edit = `/define/items/${encodeURIComponent(item.code)}/edit`;
  return (
    <article>
      <header className="flex flex-wrap items-start justify-between gap-2 px-4 pt-3 pb-2">
        <div>
          <h1>
            {item.name} <span className="code text-[16px]">{item.code}</span>
          </h1>
          <p className="text-quiet">
            {isMade ? 'made' : 'bought'} · <Quantity value={item.on_hand} unit={item.unit} /> on hand, worth{' '}
            <Money value={item.value} /> EUR
            {isMade && tree.data && (
              <>
                {' '}
                · rev {tree.data.letter} {tree.data.state} · standard lot <Quantity value={item.standard_lot} />
              </>
            )}
            {!isMade && (
              <>
                {' '}
                · price{' '}
                {item.price === null ? (
                  <strong className="text-attention">none yet</strong>
                ) : (
                  <>
                    <UnitCost value={item.price} /> EUR/{item.unit}
                  </>
                )}
              </>
            )}
            {!item.is_active && ' · inactive'}
          </p>
        </div>
        <div className="flex flex-wrap gap-1.5">
          {may.has('change-item') && <Button onClick={() => start('change-item', { code: item.code })}>Change…</Button>}
          {!isMade && may.has('receive-material') && (
            <Button onClick={() => start('receive-material', { item: item.code })}>Receive…</Button>
          )}
          {isMade && may.has('draft-structure') && (
            <Link className="flex h-7 items-center rounded-[3px] border border-hair-strong px-2.5 text-act hover:bg-act-wash" to={edit}>
              {item.has_draft ? 'Edit the draft' : 'Draft a revision'}
            </Link>
          )}
          {item.has_draft && may.has('approve-structure') && (
            <Button onClick={() => start('approve-structure', { item: item.code })}>Approve the draft…</Button>
          )}
          {isMade && may.has('plan-order') && item.has_approved && (
            <Button onClick={() => start('plan-order', { item: item.code })}>Plan an order…</Button>
          )}
        </div>
      </header>
      {isMade &&
        (hasStructure ? (
          <Loaded query={tree}>{(t) => <StructureTree tree={t} />}</Loaded>
        ) : (
          <Empty>
            {item.code} has no structure yet: no operations and no components.{' '}
            <Link className="quiet-link text-act" to={edit}>
              Draft its structure
            </Link>
          </Empty>
        ))}
      <div className="grid grid-cols-2 border-t border-hair-strong">
        <div className="border-r border-hair">
          <StandardBlock item={item} />
        </div>
        <div>
          <StockAndUse code={item.code} unit={item.unit} />
        </div>
      </div>
    </article>
  );
}

function StandardBlock({ item }: { item: Item }) {
  const { start } = useCommands();
  const may = new Set(useQuery(commandsOptions()).data?.map((c) => c.name));
  const standard = useQuery({ ...standardOptions(item.code), enabled: item.standard !== null });
  const rolled = useQuery(rollUpOptions());
  const now = rolled.data?.rows.find((r) => r.item === item.code)?.rolled;
  const lack = rolled.data?.missing.find((m) => m.item === item.code);
  const s = standard.data;
  return (
    <table className="rows" aria-label="Standard cost">
      <thead>
        <tr>
          <th className="pl-4!">Standard, EUR/{item.unit}</th>
          <th className="num">this level</th>
          <th className="num">lower</th>
        </tr>
      </thead>
      <tbody>
        {s?.elements.map((e) => (
          <tr key={e.element}>
            <td className="pl-4!">{e.element}</td>
            <td className="num">{!isZero(e.this_level) && <UnitCost value={e.this_level} />}</td>
            <td className="num">{!isZero(e.lower_levels) && <UnitCost value={e.lower_levels} />}</td>
          </tr>
        ))}
        <tr>
          <td className="pl-4! font-semibold">{s ? `frozen ${moment(s.frozen_at)}` : 'not frozen yet'}</td>
          <td colSpan={2} className="num font-semibold">
            {s && (
              <DerivationLink rows={s.derivation} title={`Standard of ${item.code}`}>
                <UnitCost value={s.total} />
              </DerivationLink>
            )}
          </td>
        </tr>
        {now && now !== s?.total && (
          <tr>
            <td className="pl-4!">
              rolled up now
              {may.has('freeze-standard') && (
                <Button look="link" className="ml-3" onClick={() => start('freeze-standard')}>
                  Freeze the standard…
                </Button>
              )}
            </td>
            <td colSpan={2} className="num">
              <UnitCost value={now} />
            </td>
          </tr>
        )}
        {lack && (
          <tr>
            <td colSpan={3} className="pl-4! text-attention">
              {lack.why} {lack.fix}
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

function StockAndUse({ code, unit }: { code: string; unit: string }) {
  const stock = useQuery(stockOptions(code));
  const used = useQuery(whereUsedOptions(code));
  return (
    <table className="rows" aria-label="Stock and where used">
      <thead>
        <tr>
          <th className="pl-4!">On hand at</th>
          <td className="num pr-4!" />
        </tr>
      </thead>
      <tbody>
        {stock.data?.map((s) => (
          <tr key={s.place}>
            <td className="pl-4!">{s.place}</td>
            <td className="num pr-4!">
              <Quantity value={s.quantity} unit={unit} />
            </td>
          </tr>
        ))}
        {stock.data?.length === 0 && (
          <tr>
            <td className="pl-4! text-quiet" colSpan={2}>
              nowhere
            </td>
          </tr>
        )}
      </tbody>
      <thead>
        <tr>
          <th className="pl-4!">Used in</th>
          <th className="num pr-4!">each</th>
        </tr>
      </thead>
      <tbody>
        {used.data?.map((u) => (
          <tr key={u.item + u.operation}>
            <td className="pl-4!">
              <Link className="quiet-link" to={`/define/items/${encodeURIComponent(u.item)}`}>
                {u.name} <span className="code">{u.item}</span>
              </Link>{' '}
              <span className="text-quiet">
                rev {u.revision}, op {u.operation}
              </span>
            </td>
            <td className="num pr-4!">
              <Quantity value={u.quantity} unit={unit} />
            </td>
          </tr>
        ))}
        {used.data?.length === 0 && (
          <tr>
            <td className="pl-4! text-quiet" colSpan={2}>
              no structure in force
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
