import { DropdownMenu } from 'radix-ui';

export interface MenuAct {
  words: string;
  onChoose: () => void;
}

/** A few acts on one thing, behind a quiet mark; what was in hand gets the focus back where nothing is started. */
export function Menu({ label, acts }: { label: string; acts: readonly MenuAct[] }) {
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger
        aria-label={label}
        className="h-6 cursor-pointer rounded-[3px] px-1.5 leading-none text-quiet hover:bg-act-wash hover:text-act data-[state=open]:bg-act-wash max-md:h-11 max-md:w-11"
      >
        ⋯
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" className="z-20 min-w-[200px] border border-hair-strong bg-sheet py-1 shadow-md">
          <DropdownMenu.Label className="px-3 py-1 text-[12px] text-quiet">{label}</DropdownMenu.Label>
          {acts.map((a) => (
            <DropdownMenu.Item
              key={a.words}
              onSelect={a.onChoose}
              className="cursor-pointer px-3 py-1 outline-none data-[highlighted]:bg-act-wash max-md:py-3"
            >
              {a.words}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
