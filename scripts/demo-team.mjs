// A team on one machine: Redis, three workers, a sweep that they share, and one of them lost before your eyes.
import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const program = fileURLToPath(new URL('../bin/batharon.cjs', import.meta.url));
const WORKERS = 3;
/** When one of them is lost, in milliseconds after the run has begun. */
const LOST_AFTER = 4000;

const server = ['redis-server', 'valkey-server'].find((name) => existsSync(`/usr/bin/${name}`));
if (!server) {
  process.stderr.write(
    'This demo needs redis-server or valkey-server, and neither is in /usr/bin. docs/teams.md says how to get one.\n',
  );
  process.exit(2);
}

const folder = mkdtempSync(join(tmpdir(), 'batharon-demo-team-'));
const port = await freePort();
const env = {
  ...process.env,
  KILN_TEAM_KEY: 'made up for this demo alone',
  KILN_REDIS: `redis://127.0.0.1:${port}`,
};
const children = [];
const start = (command, args, stdio = 'ignore') => {
  const child = spawn(command, args, { cwd: folder, env, stdio });
  children.push(child);
  return child;
};

writeFileSync(
  join(folder, 'batharon.yaml'),
  `services:
  kiln:
    url: practice
    as: desk
    pace: 30 per second # all machines together
credentials:
  desk:
    kind: oauth2
    grant: client-credentials
    token-url: \${services.kiln.url}/token
    client-id: studio-desk
    client-secret: \${secret.desk}
secrets:
  desk: env KILN_DESK_SECRET
  redis: env KILN_REDIS
  team: env KILN_TEAM_KEY
team:
  redis: \${secret.redis}
  key: \${secret.team}
  lease: 3s
`,
);
writeFileSync(
  join(folder, 'sweep.chain.yaml'),
  `chain: Look at every piece
steps:
  - each: n in range(1, 300)
    name: pieces
    spread: 10
    at-once: 4
    gather: { glazed: found.glaze }
    steps:
      - call: GET kiln /pieces/p\${1001 + n % 120}
        name: look
        keep: { found: $ }
results:
  pieces: length(glazed)
  celadon: length(glazed[?@ == 'celadon'])
`,
);

try {
  start(server, ['--port', String(port), '--save', '', '--dir', folder]);
  await isOpen(port);
  const workers = Array.from({ length: WORKERS }, () => start(process.execPath, [program, 'work']));
  process.stdout.write(
    `Redis at 127.0.0.1:${port}, ${WORKERS} workers; in ${folder}:\n$ batharon run sweep.chain.yaml --spread\n\n`,
  );
  const run = start(process.execPath, [program, 'run', 'sweep.chain.yaml', '--spread'], 'inherit');
  setTimeout(() => workers[0].kill('SIGKILL'), LOST_AFTER).unref();
  const code = await new Promise((resolve) => run.on('close', resolve));
  process.stdout.write(
    `\nOne of ${WORKERS} workers was lost ${LOST_AFTER / 1000} s into the run. The others did what it had left; each piece was looked at once.\n`,
  );
  process.exitCode = code ?? 1;
} finally {
  for (const child of children) child.kill('SIGKILL');
  setTimeout(() => rmSync(folder, { recursive: true, force: true, maxRetries: 5 }), 100);
}

function freePort() {
  const listening = createServer();
  return new Promise((resolve) =>
    listening.listen(0, '127.0.0.1', () => {
      const { port: free } = listening.address();
      listening.close(() => resolve(free));
    }),
  );
}

async function isOpen(at) {
  for (let i = 0; i < 100; i++) {
    const open = await new Promise((resolve) => {
      const socket = connect(at, '127.0.0.1', () => {
        socket.destroy();
        resolve(true);
      }).on('error', () => resolve(false));
    });
    if (open) return;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error(`nothing listens at ${at}`);
}
