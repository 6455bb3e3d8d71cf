import { BenchFrame, type FrameProps } from '../../ui/BenchFrame';

const pages = [
  ['/sell', "Customers' orders"],
  ['/sell/forecasts', 'Forecasts'],
] as const;

/** A page of the selling bench: what it is, its acts, and the way to the others. */
export function SellFrame(props: FrameProps) {
  return <BenchFrame pages={pages} {...props} />;
}
