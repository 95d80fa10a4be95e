import { fail } from '../../problems.ts';
import { DIGEST_ALGORITHMS, type DigestAlgorithm } from '../environment.ts';
import { BYTES } from '../kinds.ts';
import { bytesOf } from './conversion.ts';
import { define, takes } from './define.ts';

const family = 'digest';

function algorithm(name: string): DigestAlgorithm {
  return (
    DIGEST_ALGORITHMS.find((known) => known === name) ??
    fail('unknown-algorithm', `there is no digest '${name}'`, {
      hint: DIGEST_ALGORITHMS.map((known) => `'${known}'`).join(', '),
    })
  );
}

export const digestFunctions = [
  define(family, 'bytes', {
    about: 'The content of a file in the folder of the chain file, or below it.',
    parameters: [takes.text('file')],
    returns: BYTES,
    examples: [["length(bytes('layer.bin'))", '4']],
    evaluate: ([path], { world }) =>
      world.file?.(path) ?? fail('file-not-found', `the file ${path} can't be read here`),
  }),
  define(family, 'digest', {
    about: "The digest of bytes, or of the UTF-8 of a text: 'sha-256', 'sha-384', 'sha-512', 'sha' or 'md5'.",
    parameters: [takes.textOrBytes('data'), takes.text('algorithm', { literal: 'digest' })],
    returns: BYTES,
    examples: [["slice(hex(digest('kiln', 'sha-256')), 0, 8)", '"cdfe9ad5"']],
    evaluate: ([data, name], { world }) => world.digest(algorithm(name), bytesOf(data)),
  }),
  define(family, 'hmac', {
    about: 'The keyed digest (RFC 2104) of bytes, or of the UTF-8 of a text.',
    parameters: [
      takes.textOrBytes('key'),
      takes.textOrBytes('data'),
      takes.text('algorithm', { literal: 'digest' }),
    ],
    returns: BYTES,
    examples: [["slice(hex(hmac('key', 'kiln', 'sha-256')), 0, 8)", '"eae11dc2"']],
    evaluate: ([key, data, name], { world }) => world.hmac(algorithm(name), bytesOf(key), bytesOf(data)),
  }),
];
