// What a person would write by hand: the same call and the same assertion, with undici.
import { request } from 'undici';

async function main(): Promise<void> {
  const { statusCode, body } = await request(process.argv[2]!, { headers: { accept: 'application/json' } });
  const response = (await body.json()) as { pieces: unknown[] };
  if (statusCode !== 200 || response.pieces.length === 0) {
    console.error(`expected 200 and pieces, got ${statusCode}`);
    process.exit(1);
  }
  process.exit(0);
}
void main();
