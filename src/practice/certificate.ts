import { PNG } from 'pngjs';
import type { Firing } from './state.ts';

/** A picture of a firing's temperature, 240 by 120 points. */
export function drawCertificate({ id, cone }: Pick<Firing, 'id' | 'cone'>): Buffer {
  const [width, height] = [240, 120];
  const png = new PNG({ width, height });
  const seed = Buffer.from(id).reduce((sum, byte) => sum * 31 + byte, 7);
  for (let x = 0; x < width; x++) {
    const rise = Math.min(1, x / 120) * (x > 180 ? 1 - (x - 180) / 80 : 1);
    const top = height - 10 - Math.round(rise * (60 + cone * 3)) + (((seed * (x + 3)) >> 4) % 3);
    for (let y = 0; y < height; y++) {
      const at = (y * width + x) * 4;
      const burning = y >= top && y < height - 10;
      png.data[at] = burning ? 200 + Math.round((y - top) / 3) : 250;
      png.data[at + 1] = burning ? 90 : 246;
      png.data[at + 2] = burning ? 40 : 236;
      png.data[at + 3] = 255;
    }
  }
  return PNG.sync.write(png);
}
