import { ink } from './inks.ts';

const GAP = 12;

/**
 * The canvases of a chart as one PNG on the ground of the page, in the places that they have on it. Rejects
 * where there is none, or where the browser cannot make one.
 */
export async function pictureOf(host: HTMLElement): Promise<Blob> {
  const canvases = [...host.querySelectorAll('canvas')];
  if (canvases.length === 0) throw new Error('There is no chart to save');
  const origin = host.getBoundingClientRect();
  const whole = document.createElement('canvas');
  const scale = window.devicePixelRatio || 1;
  whole.width = Math.ceil((origin.width + 2 * GAP) * scale);
  whole.height = Math.ceil((host.scrollHeight + 2 * GAP) * scale);
  const pen = whole.getContext('2d');
  if (!pen) throw new Error('This browser cannot draw the picture');
  pen.fillStyle = ink('--leaf');
  pen.fillRect(0, 0, whole.width, whole.height);
  for (const canvas of canvases) {
    const box = canvas.getBoundingClientRect();
    const [x, y] = [
      (box.left - origin.left + GAP) * scale,
      (box.top - origin.top + host.scrollTop + GAP) * scale,
    ];
    pen.drawImage(canvas, x, y, box.width * scale, box.height * scale);
    const title = canvas.dataset['title'];
    if (title === undefined) continue;
    pen.fillStyle = ink('--ink');
    pen.font = `600 ${12 * scale}px "Inter Variable"`;
    pen.fillText(title, x, y - 4 * scale, box.width * scale);
  }
  return new Promise((resolve, reject) => {
    whole.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('The picture could not be made'))));
  });
}
