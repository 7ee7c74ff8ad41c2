/** Bars differ by pattern and lightness, not by hue: the accent colour is kept for what is broken. */
const INKS = ['--ink', '--bar', '--slate', '--violet', '--bar-soft'];
/** Where the inks are used up, the lines of the next round are broken in another way. */
const DASHES = [[], [6, 3], [2, 2], [8, 3, 2, 3]];
/** Marks of the points of a line, so that lines are told apart without colours. */
const MARKS = ['circle', 'rect', 'triangle', 'rectRot', 'cross', 'star'] as const;
const PATTERN_PX = 8;

/** A colour of the page in the theme of the moment. */
export const ink = (name: string): string =>
  getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** How the series at a place is drawn: unlike each of its neighbours also without colours. */
export function lookOf(k: number) {
  const colour = ink(INKS[k % INKS.length]!);
  const round = Math.floor(k / INKS.length);
  return { colour, dash: DASHES[round % DASHES.length]!, mark: MARKS[k % MARKS.length]!, round };
}

/** A fill of a bar: plain at first, then striped one way, the other, and dotted. */
export function fillOf(k: number): string | CanvasPattern {
  const { colour, round } = lookOf(k);
  const kind = (round + (k % INKS.length > 1 ? (k % INKS.length) - 1 : 0)) % 4;
  if (kind === 0) return colour;
  const tile = document.createElement('canvas');
  tile.width = tile.height = PATTERN_PX;
  const pen = tile.getContext('2d');
  if (!pen) return colour;
  pen.fillStyle = ink('--leaf');
  pen.fillRect(0, 0, PATTERN_PX, PATTERN_PX);
  pen.strokeStyle = pen.fillStyle = colour;
  pen.lineWidth = 2.5;
  if (kind === 3) {
    pen.fillRect(0, 0, 4, 4);
    pen.fillRect(4, 4, 4, 4);
  } else {
    const down = kind === 1;
    for (const shift of [-PATTERN_PX, 0, PATTERN_PX]) {
      pen.beginPath();
      pen.moveTo(shift, down ? 0 : PATTERN_PX);
      pen.lineTo(shift + PATTERN_PX, down ? PATTERN_PX : 0);
      pen.stroke();
    }
  }
  return pen.createPattern(tile, 'repeat') ?? colour;
}
