/** The members that the pointer is nearest to, with their values. */
export interface Pointed {
  readonly x: number;
  readonly y: number;
  readonly title: string;
  readonly lines: readonly string[];
}

/**
 * Text of the page rather than of the canvas: it can be read out, and its font is that of everything else.
 */
export function PointedAt({ pointed }: { pointed: Pointed }) {
  return (
    <div
      role="tooltip"
      className="pointer-events-none absolute z-10 max-w-[320px] -translate-x-1/2 -translate-y-full border border-rule-strong bg-raised px-2 py-1 text-[12px] shadow-sm"
      style={{ left: `clamp(160px, ${pointed.x}px, calc(100% - 160px))`, top: Math.max(pointed.y - 8, 48) }}
    >
      <b className="block">{pointed.title}</b>
      {pointed.lines.map((line, k) => (
        <span key={k} className="num block text-left">
          {line}
        </span>
      ))}
    </div>
  );
}
