// The built program against servers of GraphQL and JSON-RPC that nobody here wrote, by the chains of the docs.
import { readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { buildSchema } from 'graphql';
import { createHandler } from 'graphql-http/lib/use/http';
import jayson from 'jayson';
import { batharon, folderWith } from '../cli/support.ts';

const exampleOf = (name: string): string =>
  readFileSync(new URL(`../../examples/peers/${name}`, import.meta.url), 'utf8');

const pieces = [
  { id: 'p1', price: 20 },
  { id: 'p2', price: 12.5 },
];
const graphql = createHandler({
  schema: buildSchema(`
    type Piece { id: ID! price: Float! }
    type Rack { name: String! pieces: [Piece!]! }
    type Query { rack(id: ID!): Rack }
    type Mutation { change(id: ID!, price: Float!): Piece! }
  `),
  rootValue: {
    rack: ({ id }: { id: string }) => (id === 'A3' ? { name: 'by the door', pieces } : null),
    change: ({ id, price }: { id: string; price: number }) => {
      const piece = pieces.find((one) => one.id === id);
      if (!piece) throw new Error(`there is no piece ${id}`);
      piece.price = price;
      return piece;
    },
  },
});
const rpc = new jayson.Server({
  heat: ({ kiln }: { kiln: string }, done: jayson.JSONRPCCallbackTypePlain) =>
    kiln === 'big'
      ? done(null, { heat: 1240 })
      : done({ code: 17, message: `there is no kiln ${kiln}`, data: { kilns: ['big'] } }),
});

let server: Server;
let url: string;

beforeAll(async () => {
  server = createServer((request, response) => {
    if (request.url === '/graphql') return void graphql(request, response);
    let body = '';
    request.on('data', (data: Buffer) => (body += data.toString()));
    request.on('end', () => {
      rpc.call(JSON.parse(body) as jayson.JSONRPCRequestLike, (error, result) => {
        response.setHeader('content-type', 'application/json');
        response.end(JSON.stringify(error ?? result));
      });
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => void server.close());

test('the page shows the files as they are', () => {
  const page = readFileSync(new URL('../../docs/graphql-and-json-rpc.md', import.meta.url), 'utf8');
  for (const name of ['batharon.yaml', 'graphql.chain.yaml', 'json-rpc.chain.yaml'])
    expect(page).toContain(`\`\`\`yaml\n${exampleOf(name).replace(/^#.*\n/, '')}\`\`\``);
});

function project(change: (chain: string) => string = (chain) => chain): string {
  return folderWith({
    'batharon.yaml': exampleOf('batharon.yaml').replace('http://localhost:4000', url),
    'graphql.chain.yaml': change(exampleOf('graphql.chain.yaml')),
    'json-rpc.chain.yaml': change(exampleOf('json-rpc.chain.yaml')),
  });
}

describe('GraphQL', () => {
  test('the chain of the docs passes', async () => {
    const { code, stdout, stderr } = await batharon(project(), ['run', 'graphql.chain.yaml']);
    expect([code, stdout + stderr]).toEqual([0, expect.stringContaining('2 of 2 steps passed')]);
    expect(pieces[0]!.price).toBe(24.5);
  });

  test.each<[string, (chain: string) => string, RegExp]>([
    [
      'a member that is not in the schema',
      (chain) => chain.replace('{ id price } }\n', '{ id prize } }\n'),
      /got +400, "Cannot query field "prize" on type "Piece"\. Did you mean "price"\?"/,
    ],
    [
      'an error beside data, with status 200',
      (chain) => chain.replace("id: '${id}'", 'id: p9'),
      /expected +exists\(\$\.errors\) == false\n *got .*; the service said "there is no piece p9"/,
    ],
  ])('%s is said as the service says it', async (_, change, said) => {
    const { code, stdout, stderr } = await batharon(project(change), ['run', 'graphql.chain.yaml']);
    expect([code, stdout + stderr]).toEqual([1, expect.stringMatching(said)]);
  });
});

describe('JSON-RPC', () => {
  test('the chain of the docs passes', async () => {
    const { code, stdout, stderr } = await batharon(project(), ['run', 'json-rpc.chain.yaml']);
    expect([code, stdout + stderr]).toEqual([0, expect.stringContaining('the kiln has 1240 °C')]);
  });

  test.each<[string, (chain: string) => string, RegExp]>([
    [
      'an error of the method',
      (chain) => chain.replace('default: big', 'default: small'),
      /the service said "there is no kiln small"/,
    ],
    [
      'an unknown method',
      (chain) => chain.replace('method: heat', 'method: heats'),
      /the service said "Method not found"/,
    ],
  ])('%s is said as the service says it', async (_, change, said) => {
    const { code, stdout, stderr } = await batharon(project(change), ['run', 'json-rpc.chain.yaml']);
    expect([code, stdout + stderr]).toEqual([1, expect.stringMatching(said)]);
  });
});
