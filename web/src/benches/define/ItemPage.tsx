import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import { useEffect } from 'react';
import { type Tree, treeOptions } from '../../api/queries';
import { type Item, type ItemFull, itemOptions, revisionsOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { day } from '../../lib/date';
import { OperationGraph } from '../../structure/OperationGraph';
import { StructureTree } from '../../structure/StructureTree';
import { Button } from '../../ui/Button';
import { ItemCode } from '../../ui/ItemCode';
import { Money, Quantity, UnitCost } from '../../ui/Numbers';
import { Empty, Loaded } from '../../ui/States';
import { NotesBlock, RevisionsBlock, StandardBlock, StockAndUse } from './ItemBlocks';
import { DocumentsBlock, ListPricesBlock, PlanningBlock, PricesBlock } from './ItemPapers';
import { useMay, useReads } from '../../commands/useMay';

/** An item: what it is made of and how, what it costs, where it lies and where it is used. */
export function ItemPage() {
  const { code = '' } = useParams();
  const client = useQueryClient();
  const full = useQuery(itemOptions(code));
  const pages = client.getQueriesData<{ pages: { rows: Item[] }[] }>({ queryKey: ['items', 'page'] });
  const listed = pages.flatMap(([, list]) => list?.pages.flatMap((p) => p.rows) ?? []).find((i) => i.code === code);
  const item = full.data ?? (full.error ? undefined : listed);
  // one and the same page, whether the list or the item itself came first: nothing is asked for twice
  if (item) return <Page key={code} item={item} full={full.data} />;
  return <Loaded query={full}>{() => null}</Loaded>;
}

function Page({ item, full }: { item: Item; full: ItemFull | undefined }) {
  const { start, started } = useCommands();
  const may = useMay();
  const reads = useReads();
  const [query] = useSearchParams();
  const revision = query.get('rev') ?? '';
  const isMade = item.source !== 'buy';
  const revisions = useQuery({ ...revisionsOptions(item.code), enabled: isMade });
  const hasStructure = item.has_approved || item.has_draft || (revisions.data?.length ?? 0) > 0;
  const tree = useQuery({ ...treeOptions(item.code, revision), enabled: hasStructure });
  const path = `/define/items/${encodeURIComponent(item.code)}`;
  useCompareKey(path, revisions.data?.map((r) => r.letter) ?? []);
  return (
    <article className="flex h-full min-h-[520px] flex-col">
      <header className="flex flex-wrap items-start justify-between gap-2 px-4 pt-3 pb-2">
        <div>
          <h1>
            {item.name} <span className="code text-[16px]">{item.code}</span>
          </h1>
          <Facts item={item} full={full} tree={tree.data} />
          {revision !== '' && revisions.data?.every((r) => r.letter !== revision) && (
            <p className="text-attention">
              Structure {revision} is made for one customer’s line only.{' '}
              {revisions.data
                .filter((r) => r.state === 'approved')
                .slice(0, 1)
                .map((r) => (
                  <Link key={r.letter} className="quiet-link text-act" to={`${path}/compare?old=${r.letter}&new=${revision}`}>
                    Against {r.letter}
                  </Link>
                ))}
            </p>
          )}
        </div>
        <div className="flex flex-wrap gap-1.5">
          {may.has('change-item') && <Button onClick={() => start('change-item', { code: item.code })}>Change…</Button>}
          {may.has('change-item') && (
            <Button onClick={() => start('change-item', { code: item.code, is_active: !item.is_active })}>
              {item.is_active ? 'Make inactive…' : 'Make active…'}
            </Button>
          )}
          {!isMade && may.has('receive-material') && (
            <Button onClick={() => start('receive-material', { item: item.code })}>Receive…</Button>
          )}
          {isMade && hasStructure && may.has('change-phantom') && (
            <Button onClick={() => start('change-phantom', { item: item.code, is_phantom: !item.is_phantom })}>
              {item.is_phantom ? 'Stock it…' : 'Pass through…'}
            </Button>
          )}
          {isMade && !full?.made_with.length && may.has('draft-structure') && (
            <Link
              className="flex h-7 items-center rounded-[3px] border border-hair-strong px-2.5 whitespace-nowrap text-act hover:bg-act-wash"
              to={`${path}/edit`}
            >
              {item.has_draft ? 'Edit the draft' : 'Draft a revision'}
            </Link>
          )}
          {item.has_draft && may.has('approve-structure') && (
            <Button onClick={() => start('approve-structure', { item: item.code })}>Approve the draft…</Button>
          )}
          {isMade && may.has('plan-order') && item.has_approved && !item.is_phantom && (
            <Button onClick={() => start('plan-order', { item: item.code })}>Plan an order…</Button>
          )}
        </div>
      </header>
      {isMade &&
        (full && full.made_with.length > 0 ? (
          <Empty>
            {item.code} comes out of{' '}
            {full.made_with.map((main) => (
              <ItemCode key={main} code={main} />
            ))}
            : its structure says how, and its orders bring it.
          </Empty>
        ) : revisions.data && !hasStructure ? (
          <Empty>
            {item.code} has no structure yet: no operations and no components.{' '}
            <Link className="quiet-link text-act" to={`${path}/edit`}>
              Draft its structure
            </Link>
          </Empty>
        ) : (
          <Loaded query={tree}>
            {(t) => (
              <>
                <Branches tree={t} />
                <StructureTree key={revision} tree={t} revision={revision} />
              </>
            )}
          </Loaded>
        ))}
      {/* the structure first: what stands below is asked for once it is there */}
      {(!hasStructure || tree.data !== undefined) && (
      <div
        className={`min-h-[180px] shrink-0 grow overflow-y-auto border-t border-hair-strong ${isMade ? 'basis-[38%]' : 'basis-0'} ${started ? 'space-y-3' : 'grid grid-cols-[1fr_1fr_1.15fr] content-start max-md:block'}`}
      >
        <div className="border-r border-hair">
          {reads.costs && <StandardBlock item={item} />}
          {reads.costs && item.source !== 'make' && <PricesBlock item={item} />}
          {reads.margins && isMade && <ListPricesBlock item={item} />}
        </div>
        <div className="border-r border-hair">
          <StockAndUse item={item} />
          {full && <PlanningBlock item={full} />}
        </div>
        <div>
          {isMade && <RevisionsBlock item={item} shown={tree.data?.letter ?? ''} />}
          <DocumentsBlock item={item} />
          <NotesBlock kind="item" code={item.code} />
          {tree.data && <NotesBlock key={tree.data.letter} kind="structure" code={`${item.code} rev ${tree.data.letter}`} />}
        </div>
      </div>
      )}
    </article>
  );
}

/** Alt-V compares the newest revision with the one before it: what changed last. */
function useCompareKey(path: string, letters: string[]) {
  const navigate = useNavigate();
  const [newest, older] = letters;
  useEffect(() => {
    function onKeyDown(event: KeyboardEvent) {
      if (!event.altKey || event.code !== 'KeyV' || !newest || !older) return;
      event.preventDefault();
      void navigate(`${path}/compare?old=${older}&new=${newest}`);
    }
    addEventListener('keydown', onKeyDown);
    return () => removeEventListener('keydown', onKeyDown);
  }, [navigate, path, newest, older]);
}

const sourceWords: Record<Item['source'], string> = { buy: 'bought', make: 'made', both: 'made or bought' };

function Facts({ item, full, tree }: { item: Item; full: ItemFull | undefined; tree: Tree | undefined }) {
  const price = full?.unit_price ?? item.price;
  const isMade = item.source !== 'buy';
  return (
    <p className="text-quiet">
      {item.is_phantom ? 'phantom, made within its parents' : sourceWords[item.source]} · <Quantity value={item.on_hand} unit={item.unit} /> on hand{item.value !== '' && <>, worth <Money value={item.value} /> EUR</>}
      {tree && (
        <>
          {' '}
          · rev {tree.letter} {tree.state}
          {tree.effective_from && ` from ${day(tree.effective_from)}`}
          {tree.effective_to && ` until ${day(tree.effective_to)}`} · standard lot <Quantity value={item.standard_lot} />
        </>
      )}
      {!isMade && (
        <>
          {' '}
          · price{' '}
          {price === null ? (
            <strong className="text-attention">none yet</strong>
          ) : (
            <>
              <UnitCost value={price} /> EUR/{item.unit}
            </>
          )}
          {item.density !== null && (
            <>
              {' '}
              · <Quantity value={item.density} unit="kg/m³" />
            </>
          )}
        </>
      )}
      {!item.is_active && <strong className="text-attention"> · inactive: {item.inactive_reason}</strong>}
    </p>
  );
}

/** The strip graph, where operations don't simply follow one another. */
function Branches({ tree }: { tree: Tree }) {
  const operations = tree.rows
    .filter((r) => r.kind === 'operation' && r.depth === 0)
    .map((r) => ({ number: r.operation, name: r.name, after: r.after }));
  return operations.some((o) => o.after !== null) ? <OperationGraph operations={operations} /> : null;
}
