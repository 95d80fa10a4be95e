/**
 * A short mark by which two texts can be told apart, such as two forms of a step: 53 bits, mixed by multiplication. It is
 * no digest and keeps nothing secret.
 */
export function fingerprint(text: string): string {
  let [high, low] = [0xdeadbeef, 0x41c6ce57];
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i);
    high = Math.imul(high ^ unit, 2654435761);
    low = Math.imul(low ^ unit, 1597334677);
  }
  high = Math.imul(high ^ (high >>> 16), 2246822507) ^ Math.imul(low ^ (low >>> 13), 3266489909);
  low = Math.imul(low ^ (low >>> 16), 2246822507) ^ Math.imul(high ^ (high >>> 13), 3266489909);
  return (4294967296 * (2097151 & low) + (high >>> 0)).toString(16).padStart(14, '0');
}
