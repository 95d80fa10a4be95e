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

/** An object of 30 members. */
const wide = JSON.stringify(
  Object.fromEntries(
    Array.from({ length: 30 }, (_, i) => [`member_${i}`, [`text ${i}`, i, i % 2 === 0][i % 3]]),
  ),
);

/** How long a service takes at the least that is not on the same machine, in milliseconds. */
const NEAR = 5;

const server = createServer((request, response) => {
  if (request.url === '/film') {
    response.writeHead(200, { 'content-type': 'video/mp4', 'content-length': 200_000_000 });
    const chunk = Buffer.alloc(100_000, 'ember ');
    let sent = 0;
    const next = (): void => {
      while (sent++ < 2000) if (!response.write(chunk)) return void response.once('drain', next);
      response.end();
    };
    return next();
  }
  if (request.url?.startsWith('/events')) {
    const events = Number(new URL(request.url, 'http://127.0.0.1').searchParams.get('n'));
    response.writeHead(200, { 'content-type': 'text/event-stream' });
    let nth = 0;
    const more = (): void => {
      while (nth < events) {
        let text = '';
        while (nth < events && text.length < 16_000)
          text += `id: ${++nth}\nevent: heat\ndata: {"kiln":"north","celsius":${nth % 1300}}\n\n`;
        if (!response.write(text)) return void response.once('drain', more);
      }
      response.end();
    };
    return more();
  }
  const respond = (): void => {
    const text = request.url?.startsWith('/wide') ? wide : body;
    response.writeHead(200, { 'content-type': 'application/json', 'content-length': text.length });
    response.end(text);
  };
  if (request.url?.startsWith('/near/')) setTimeout(respond, NEAR);
  else respond();
});
server.listen(0, '127.0.0.1', () =>
  console.log(`http://127.0.0.1:${(server.address() as AddressInfo).port}`),
);
process.on('SIGTERM', () => process.exit(0));
