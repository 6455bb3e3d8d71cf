import { shortDay } from '../lib/date';
import { quantity } from '../lib/decimal';
import { type Change, stepped } from './stepped';

const WIDTH = 960;
const HEIGHT = 132;
const LEFT = 44;
const BOTTOM = 20;

interface Props {
  item: string;
  unit: string;
  today: string;
  beginsAt: string;
  steps: readonly Change[];
}

/** The projected stock as a stepped line over time; below nothing it is shaded. */
export function SteppedLine({ item, unit, today, beginsAt, steps }: Props) {
  const line = stepped(today, beginsAt, steps);
  const x = (share: number) => LEFT + share * (WIDTH - LEFT - 16);
  const y = (share: number) => 10 + (1 - share) * (HEIGHT - BOTTOM - 16);
  const path = line.points.map(([at, level], n) => `${n === 0 ? 'M' : 'H'}${x(at)} ${n === 0 ? y(level) : `V${y(level)}`}`).join(' ');
  const zero = y(line.zero);
  const lowest = steps.reduce((low, step) => (Number(step.projected) < Number(low) ? step.projected : low), beginsAt);
  return (
    <svg
      role="img"
      aria-label={`Projected stock of ${item}: ${quantity(beginsAt)} today, lowest ${quantity(lowest)} ${unit}`}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="mt-1 block w-full max-w-[1100px] px-4 text-[11px]"
    >
      {line.isBelow && <rect x={LEFT} y={zero} width={WIDTH - LEFT - 16} height={HEIGHT - BOTTOM - zero} className="fill-attention-wash" />}
      <line x1={LEFT} x2={WIDTH - 16} y1={zero} y2={zero} className="stroke-hair-strong" />
      <text x={LEFT - 6} y={zero + 4} textAnchor="end" className="fill-quiet">
        0
      </text>
      <text x={LEFT - 6} y={y(1) + 4} textAnchor="end" className="fill-quiet">
        {line.most}
      </text>
      {line.isBelow && (
        <text x={LEFT - 6} y={y(0) + 4} textAnchor="end" className="fill-attention">
          {quantity(lowest)}
        </text>
      )}
      <path d={path} fill="none" strokeWidth={2} className="stroke-act" />
      {line.marks.map((m) => (
        <text key={m.day} x={x(m.at)} y={HEIGHT - 5} textAnchor={m.at > 0.9 ? 'end' : 'start'} className="fill-quiet">
          {shortDay(m.day)}
        </text>
      ))}
    </svg>
  );
}
