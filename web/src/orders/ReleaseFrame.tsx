import { BenchFrame, type FrameProps } from '../ui/BenchFrame';

const pages = [
  ['/release', 'Ready to release'],
  ['/release/lists', 'Lists and load'],
  ['/release/picks', 'Pick lists'],
  ['/release/carriers', 'Carriers'],
  ['/release/printer', 'Labels'],
  ['/release/stock', 'Stock'],
  ['/release/transfers', 'Transfers'],
  ['/release/counts', 'Counts'],
] as const;

/** A page of the release bench without its queue: what it is, its acts, and the way to the others. */
export function ReleaseFrame(props: FrameProps) {
  return <BenchFrame pages={pages} {...props} />;
}
