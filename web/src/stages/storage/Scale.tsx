import { marksOf } from './ruler.ts';

/** The marks of all rulers: bits of one row. */
export function Scale({ bits }: { bits: number }) {
  return (
    <div className="sticky top-0 z-10 h-[22px] border-b border-rule-strong bg-leaf px-4" aria-hidden>
      <div className="relative h-full">
        {marksOf(bits).map((mark) => (
          <span
            key={mark}
            className="absolute bottom-0 border-l border-rule-strong pl-[3px] text-[10px] leading-[14px] text-nowrap text-soft"
            style={{ left: `${(100 * mark) / bits}%` }}
          >
            {mark === 0 ? 'bits a row' : mark}
          </span>
        ))}
      </div>
    </div>
  );
}
