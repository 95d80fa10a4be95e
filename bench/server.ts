// A small service in a process of its own; its address is its first line of output.
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';

const body = JSON.stringify({
  pieces: Array.from({ length: 20 }, (_, i) => ({
    id: `p${1000 + i}`,
    name: `bowl ${i}`,
    glazed: i % 2 === 0,
    cone: 6,
  })),
});

const server = createServer((_, response) => {
  response.writeHead(200, { 'content-type': 'application/json', 'content-length': body.length });
  response.end(body);
});
server.listen(0, '127.0.0.1', () =>
  console.log(`http://127.0.0.1:${(server.address() as AddressInfo).port}`),
);
process.on('SIGTERM', () => process.exit(0));
