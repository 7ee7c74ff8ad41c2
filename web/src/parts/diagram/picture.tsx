import { flushSync } from 'react-dom';
import { createRoot } from 'react-dom/client';
import type { JudgedClaim } from '@crease/core/claims';
import type { Card, Edge } from './layout.ts';
import { Scene } from './Scene.tsx';

/** What a picture shows. */
export interface Drawing {
  readonly title: string;
  readonly cards: readonly Card[];
  readonly edges: readonly Edge[];
  readonly claims: readonly JudgedClaim[];
}

export interface Picture {
  readonly text: string;
  readonly width: number;
  readonly height: number;
}

const NAMESPACE = 'http://www.w3.org/2000/svg';

function drawn(kind: string, fields: Readonly<Record<string, string | number>>): SVGElement {
  const element = document.createElementNS(NAMESPACE, kind) as SVGElement;
  for (const [name, value] of Object.entries(fields)) element.setAttribute(name, String(value));
  return element;
}

/** Margin around the cards of a picture and height of its title, in diagram units. */
const MARGIN = 24;
const TITLE_HEIGHT = 34;
const ON_SCREEN_ONLY = ['class', 'tabindex', 'role', 'aria-label', 'aria-pressed', 'data-column'];
const nothing = (): void => undefined;

/**
 * The diagram as a picture of its own: its title, all cards and lines, nothing selected, with colours and
 * fonts written out.
 */
export async function diagramSvg({ title, ...drawing }: Drawing): Promise<Picture> {
  const stage = drawn('svg', { width: 1, height: 1 });
  // It has to be in the page to be measured, and need not be seen.
  stage.style.cssText = 'position:fixed;left:-10px;top:0;visibility:hidden';
  document.body.append(stage);
  const root = createRoot(stage);
  try {
    flushSync(() =>
      root.render(
        <g>
          <Scene
            {...drawing}
            selection={undefined}
            detail="keys"
            target={undefined}
            onSelect={nothing}
            onColumn={nothing}
            onHead={nothing}
          />
        </g>,
      ),
    );
    return await pictureOf(title, stage.querySelector('g')!);
  } finally {
    root.unmount();
    stage.remove();
  }
}

async function pictureOf(title: string, scene: SVGGElement): Promise<Picture> {
  const { x, y, width, height } = scene.getBBox();
  const [w, h] = [Math.ceil(width + 2 * MARGIN), Math.ceil(height + 2 * MARGIN + TITLE_HEIGHT)];
  const left = Math.floor(x - MARGIN);
  const top = Math.floor(y - MARGIN - TITLE_HEIGHT);
  const svg = drawn('svg', { xmlns: NAMESPACE, viewBox: `${left} ${top} ${w} ${h}`, width: w, height: h });
  const style = getComputedStyle(document.documentElement);
  const value = (name: string) => style.getPropertyValue(name).trim();
  const ground = drawn('rect', { x: left, y: top, width: w, height: h, fill: value('--leaf') });
  const heading = drawn('text', {
    x: left + MARGIN,
    y: top + MARGIN + 8,
    'font-size': 18,
    'font-weight': 650,
    'font-family': value('--font-serif'),
    fill: value('--ink'),
  });
  heading.textContent = title;
  const name = drawn('title', {});
  name.textContent = title;
  const copy = scene.cloneNode(true) as SVGGElement;
  for (const element of [copy, ...copy.querySelectorAll('*')]) {
    for (const attribute of ON_SCREEN_ONLY) element.removeAttribute(attribute);
    for (const { name: attribute, value: text } of [...element.attributes])
      if (text.includes('var('))
        element.setAttribute(
          attribute,
          text.replace(/var\((--[\w-]+)\)/g, (_, v: string) => value(v) || 'currentColor'),
        );
  }
  copy.setAttribute('font-family', getComputedStyle(document.body).fontFamily);
  const fonts = drawn('style', {});
  fonts.textContent = (await loadedFonts()).join('\n');
  svg.append(name, fonts, ground, heading, copy);
  return { text: new XMLSerializer().serializeToString(svg), width: w, height: h };
}

/** The fonts that the page shows, as rules that carry them: a picture of its own has none of the page's. */
async function loadedFonts(): Promise<string[]> {
  const loaded = new Set(
    [...document.fonts]
      .filter((f) => f.status === 'loaded')
      .map((f) => keyOf(f.family, f.unicodeRange, f.style)),
  );
  const rules = [...document.styleSheets]
    .flatMap((sheet) => [...sheet.cssRules])
    .filter((rule): rule is CSSFontFaceRule => rule instanceof CSSFontFaceRule)
    .filter(({ style }) =>
      loaded.has(
        keyOf(
          style.getPropertyValue('font-family'),
          style.getPropertyValue('unicode-range'),
          style.getPropertyValue('font-style'),
        ),
      ),
    );
  return Promise.all(rules.map(carried));
}

const keyOf = (family: string, range: string, style: string): string =>
  [family.replaceAll(/["']/g, ''), range.replaceAll(/\s/g, '').toUpperCase(), style || 'normal'].join(' | ');

/** A rule of a font with the font itself in place of its address. */
async function carried(rule: CSSFontFaceRule): Promise<string> {
  const address = /url\(["']?([^"')]+)["']?\)/.exec(rule.style.getPropertyValue('src'))?.[1];
  if (address === undefined) return rule.cssText;
  const response = await fetch(new URL(address, rule.parentStyleSheet?.href ?? document.baseURI));
  const bytes = new Uint8Array(await response.arrayBuffer());
  let text = '';
  for (let at = 0; at < bytes.length; at += 8192)
    text += String.fromCharCode(...bytes.subarray(at, at + 8192));
  return rule.cssText.replace(/url\([^)]+\)/, `url(data:font/woff2;base64,${btoa(text)})`);
}

/** Sides of the largest picture that browsers draw without complaint. */
const MOST_PIXELS = 12_000;

/** The diagram as pixels, twice as fine as on the screen, coarser only where it would be too large. */
export async function diagramPng(drawing: Drawing): Promise<Blob | undefined> {
  const picture = await diagramSvg(drawing);
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
export async function printDiagram(drawing: Drawing): Promise<void> {
  const picture = await diagramSvg(drawing);
  const frame = document.createElement('iframe');
  frame.style.cssText = 'position:fixed;width:0;height:0;border:0;visibility:hidden';
  frame.title = 'Sheet to print';
  document.body.append(frame);
  const sheet = frame.contentDocument!;
  const wide = picture.width > picture.height;
  sheet.head.innerHTML = `<style>@page{size:${wide ? 'landscape' : 'portrait'};margin:10mm}body{margin:0;font-family:sans-serif}svg{width:100%;height:auto;max-height:${wide ? '170mm' : '250mm'}}</style>`;
  const holder = sheet.createElement('div');
  holder.innerHTML = picture.text;
  sheet.title = drawing.title;
  sheet.body.append(holder);
  frame.contentWindow!.onafterprint = () => frame.remove();
  frame.contentWindow!.print();
}
