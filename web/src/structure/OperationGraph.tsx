/** Operations as a small strip graph: what follows what, branches one above the other. */

interface GraphOperation {
  number: number;
  name: string;
  /** what must come before; null: the one listed before */
  after: number[] | null;
}

interface Placed extends GraphOperation {
  before: number[];
  column: number;
  lane: number;
}

/** Return each operation with its place: the column is its distance from the start. */
export function placeOperations(operations: GraphOperation[]): Placed[] {
  const placed: Placed[] = [];
  operations.forEach((o, n) => {
    const previous = operations[n - 1]?.number;
    const before = (o.after ?? (previous === undefined ? [] : [previous])).filter((b) => placed.some((p) => p.number === b));
    const column = before.reduce((most, b) => Math.max(most, (placed.find((p) => p.number === b)?.column ?? -1) + 1), 0);
    const lane = placed.filter((p) => p.column === column).length;
    placed.push({ ...o, before, column, lane });
  });
  return placed;
}

const WIDTH = 232;
const BOX = 204;
const LETTERS = 26;
const HEIGHT = 26;

export function OperationGraph({ operations }: { operations: GraphOperation[] }) {
  const placed = placeOperations(operations);
  const columns = Math.max(0, ...placed.map((p) => p.column)) + 1;
  const lanes = Math.max(0, ...placed.map((p) => p.lane)) + 1;
  const find = (n: number) => placed.find((p) => p.number === n);
  const words = placed.map((p) => `${p.number} ${p.name}${p.before.length > 0 ? ` after ${p.before.join(', ')}` : ''}`).join('; ');
  return (
    <div className="shrink-0 overflow-x-auto px-4 pb-1">
      <svg role="img" aria-label={`Order of operations: ${words}`} width={columns * WIDTH} height={lanes * HEIGHT} className="block text-[12px]">
        {placed.flatMap((p) =>
          p.before.flatMap((b) => {
            const from = find(b);
            if (!from) return [];
            const [x1, y1] = [from.column * WIDTH + BOX, from.lane * HEIGHT + HEIGHT / 2];
            const [x2, y2] = [p.column * WIDTH - 4, p.lane * HEIGHT + HEIGHT / 2];
            return [
              <path
                key={`${b}-${p.number}`}
                d={`M${x1} ${y1} C${x1 + 16} ${y1} ${x2 - 16} ${y2} ${x2} ${y2}`}
                fill="none"
                stroke="var(--hair-strong)"
              />,
            ];
          }),
        )}
        {placed.map((p) => (
          <g key={p.number} transform={`translate(${p.column * WIDTH} ${p.lane * HEIGHT})`}>
            <rect width={BOX} height={HEIGHT - 4} y="2" fill="var(--sheet)" stroke="var(--hair-strong)" rx="2" />
            <text x="6" y={HEIGHT / 2 + 4} fill="var(--ink)">
              <title>{p.name}</title>
              <tspan fontWeight="650">{p.number}</tspan> {p.name.length > LETTERS ? `${p.name.slice(0, LETTERS - 1)}…` : p.name}
            </text>
          </g>
        ))}
      </svg>
    </div>
  );
}
