import { BenchFrame, type FrameProps } from '../../ui/BenchFrame';

const pages = [
  ['/buy', 'Orders to suppliers'],
  ['/buy/to-invoice', 'Received, not invoiced'],
  ['/buy/invoices', 'Invoices'],
] as const;

/** A page of the buying bench: what it is, its acts, and the way to the others. */
export function BuyFrame(props: FrameProps) {
  return <BenchFrame pages={pages} {...props} />;
}
