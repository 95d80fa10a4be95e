// What services say of errors, in the forms that several of them share, stands in the failure.
import { expect, test } from '@jest/globals';
import { KILN, type Ran, runChain } from '../support.ts';

async function messageOf(status: number, json: unknown, more: string): Promise<string | undefined> {
  const chain = `chain: Test\nsteps:\n  - call: GET kiln /a\n${more}`;
  const { of }: Ran = await runChain(chain, () => ({ status, json: JSON.stringify(json) }), {
    project: KILN,
  });
  return of('step-ended')[0]!.problem?.message;
}

test.each<[unknown, string]>([
  [{ title: 'Full', detail: 'Rack A3 holds 12.' }, ', "Rack A3 holds 12."'],
  [{ title: 'Full.', errors: [{ detail: 'below 12', pointer: '#/n' }] }, ', "Full: below 12"'],
  [{ error: { code: 'x', message: 'no celadon' } }, ', "no celadon"'],
  [{ error: 'invalid_grant', error_description: 'It has expired' }, ', "It has expired"'],
  [{ errors: { name: ['is too long', 'is odd'] } }, ', "name is too long (and 1 more)"'],
  [{ errors: ['no', 'never'] }, ', "no (and 1 more)"'],
  [[{ error: { message: 'no such rack' } }], ', "no such rack"'],
  [{ message: 'x'.repeat(500) }, `, "${'x'.repeat(119)}…"`],
  [{ error: {}, errors: [{}], message: '' }, ''],
  [{ errors: {}, error: null }, ''],
])('of a status that tells of an error: %j', async (json, said) => {
  expect(await messageOf(422, json, '')).toBe(`expected status < 400, got 422${said}`);
  expect(await messageOf(422, json, '    expect: status == 200\n')).toBe(
    `expected status == 200, got 422${said}`,
  );
});

test.each<[unknown, string]>([
  [{ data: null, errors: [{ message: 'no such rack' }] }, '; the service said "no such rack"'],
  [
    { jsonrpc: '2.0', id: 1, error: { code: -32601, message: 'no method' } },
    '; the service said "no method"',
  ],
  [{ ok: false, error: 'no_rack' }, '; the service said "no_rack"'],
  // In a response that is none of an error, these are no errors.
  [{ message: 'Thank you', title: 'It' }, ''],
])('of a status that tells of none: %j', async (json, said) => {
  const names = Object.keys(json as object).join(', ');
  expect(await messageOf(200, json, '    expect: $.heat > 5\n')).toBe(
    `expected $.heat > 5, got $.heat found nothing: $ has the members ${names}${said}`,
  );
  expect(await messageOf(200, json, '    keep: { heat: $.heat }\n')).toContain(
    `$.heat found nothing: $ has the members ${names}${said}`,
  );
  // What does not speak of the body has nothing to do with it.
  expect(await messageOf(200, json, '    expect: size > 5000\n')).not.toContain('the service said');
  expect(await messageOf(200, json, '    expect: status == 201\n')).toBe('expected status == 201, got 200');
});

test.each<[string, string[]]>([
  ['$.heat > 5', ['422, "no"', '$.heat found nothing: $ has the members message']],
  ['[status == 200, $.heat > 5]', ['422, "no"', '$.heat found nothing: $ has the members message']],
])('it is said once: %s', async (expected, got) => {
  const chain = `chain: Test\nsteps:\n  - call: GET kiln /a\n    expect: ${expected}\n`;
  const { of } = await runChain(chain, () => ({ status: 422, json: '{"message":"no"}' }), { project: KILN });
  expect(of('expected').map((one) => one.got)).toEqual(got);
});
