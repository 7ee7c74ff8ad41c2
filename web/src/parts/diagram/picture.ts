const NAMESPACE = 'http://www.w3.org/2000/svg';

function drawn(kind: string, fields: Readonly<Record<string, string | number>>): SVGElement {
  const element = document.createElementNS(NAMESPACE, kind) as SVGElement;
  for (const [name, value] of Object.entries(fields)) element.setAttribute(name, String(value));
  return element;
}

/** Margin around the cards of a picture, in diagram units. */
const MARGIN = 24;

/**
 * The diagram on the screen as a picture of its own: all cards and lines, whatever part of them is in view, with colours and fonts written out.
 * Undefined where no diagram is shown.
 */
export function diagramSvg(title: string): { text: string; width: number; height: number } | undefined {
  const shown = document.querySelector<SVGSVGElement>('svg[data-diagram]');
  const scene = shown?.querySelector<SVGGElement>('g');
  if (!shown || !scene) return undefined;
  const { x, y, width, height } = scene.getBBox();
  const [w, h] = [Math.ceil(width + 2 * MARGIN), Math.ceil(height + 2 * MARGIN)];
  const left = Math.floor(x - MARGIN);
  const top = Math.floor(y - MARGIN);
  const svg = drawn('svg', { xmlns: NAMESPACE, viewBox: `${left} ${top} ${w} ${h}`, width: w, height: h });
  const style = getComputedStyle(document.documentElement);
  const value = (name: string) => style.getPropertyValue(name).trim();
  const ground = drawn('rect', { x: left, y: top, width: w, height: h, fill: value('--leaf') });
  const heading = drawn('title', {});
  heading.textContent = title;
  const copy = scene.cloneNode(true) as SVGGElement;
  copy.removeAttribute('transform');
  for (const element of [copy, ...copy.querySelectorAll('*')]) {
    for (const name of ['class', 'tabindex', 'role', 'aria-label', 'aria-pressed', 'data-column'])
      element.removeAttribute(name);
    for (const { name, value: text } of [...element.attributes])
      if (text.includes('var('))
        element.setAttribute(
          name,
          text.replace(/var\((--[\w-]+)\)/g, (_, v: string) => value(v) || 'currentColor'),
        );
  }
  copy.setAttribute('font-family', getComputedStyle(document.body).fontFamily);
  svg.append(heading, ground, copy);
  return { text: new XMLSerializer().serializeToString(svg), width: w, height: h };
}

/** Sides of the largest picture that browsers draw without complaint. */
const MOST_PIXELS = 12_000;

/** The diagram as pixels, twice as fine as on the screen, coarser only where it would be too large. */
export async function diagramPng(title: string): Promise<Blob | undefined> {
  const picture = diagramSvg(title);
  if (!picture) return undefined;
  const scale = Math.min(2, MOST_PIXELS / Math.max(picture.width, picture.height));
  const image = new Image();
  const url = URL.createObjectURL(new Blob([picture.text], { type: 'image/svg+xml' }));
  try {
    await new Promise((loaded, failed) => {
      image.onload = loaded;
      image.onerror = () => failed(new Error('the picture could not be drawn'));
      image.src = url;
    });
    const canvas = document.createElement('canvas');
    [canvas.width, canvas.height] = [Math.ceil(picture.width * scale), Math.ceil(picture.height * scale)];
    canvas.getContext('2d')!.drawImage(image, 0, 0, canvas.width, canvas.height);
    return await new Promise((done) => canvas.toBlob((blob) => done(blob ?? undefined), 'image/png'));
  } finally {
    URL.revokeObjectURL(url);
  }
}

/** Prints the diagram alone, on a sheet that it fills. */
export function printDiagram(title: string): boolean {
  const picture = diagramSvg(title);
  if (!picture) return false;
  const frame = document.createElement('iframe');
  frame.style.cssText = 'position:fixed;width:0;height:0;border:0;visibility:hidden';
  frame.title = 'Sheet to print';
  document.body.append(frame);
  const sheet = frame.contentDocument!;
  const wide = picture.width > picture.height;
  sheet.head.innerHTML = `<style>@page{size:${wide ? 'landscape' : 'portrait'};margin:10mm}body{margin:0;font-family:sans-serif}h1{font-size:12pt;margin:0 0 4mm}svg{width:100%;height:auto;max-height:${wide ? '170mm' : '250mm'}}</style>`;
  const heading = sheet.createElement('h1');
  heading.textContent = title;
  const holder = sheet.createElement('div');
  holder.innerHTML = picture.text;
  sheet.body.append(heading, holder);
  frame.contentWindow!.onafterprint = () => frame.remove();
  frame.contentWindow!.print();
  return true;
}
