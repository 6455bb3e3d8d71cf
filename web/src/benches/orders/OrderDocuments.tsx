import { useQuery } from '@tanstack/react-query';
import type { Order } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { DocumentList } from '../../documents/DocumentList';
import { orderDocumentPath, orderDocumentsOptions } from './queries';

/** Drawings and pictures of an order and of its operations. */
export function OrderDocuments({ order }: { order: Order }) {
  const { start } = useCommands();
  const may = useMay();
  const documents = useQuery(orderDocumentsOptions(order.number));
  const given = { order: order.number };
  return (
    <section aria-label="Documents" className="px-4 pb-2">
      <p className="flex h-[24px] items-center border-b border-hair-strong text-[12px] text-quiet">Documents</p>
      <DocumentList
        documents={documents.data}
        pathOf={(name) => orderDocumentPath(order.number, name)}
        before={(d) => (d.operation === null ? '' : `op ${d.operation}`)}
        onAttach={may.has('attach-order-document') ? (kept) => start('attach-order-document', { ...given, ...kept }) : null}
        onDetach={may.has('detach-order-document') ? (name) => start('detach-order-document', { ...given, name }) : null}
      />
    </section>
  );
}

/** The documents of an operation, and of the order as a whole, where it is reported. */
export function DocumentsAt({ order, operation }: { order: Order; operation: number }) {
  const documents = useQuery(orderDocumentsOptions(order.number));
  const here = documents.data?.filter((d) => d.operation === null || d.operation === operation) ?? [];
  if (here.length === 0) return null;
  return (
    <p className="mb-2 flex flex-wrap gap-x-3">
      {here.map((d) => (
        <a key={d.name} className="quiet-link text-act" href={orderDocumentPath(order.number, d.name)} target="_blank" rel="noreferrer">
          {d.name}
        </a>
      ))}
    </p>
  );
}
