// The built program against web servers that nobody here wrote, each by a chain of the examples.
import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { generate } from 'selfsigned';
import { batharon, folderWith } from '../cli/support.ts';
import { freePort, isOpen } from './listening.ts';
import { startPeer } from './peer.ts';

const NGINX = '/usr/sbin/nginx';
const APACHE = '/usr/sbin/apache2';
const PASSWORD = 'clay-and-water-31';

const exampleOf = (name: string): string =>
  readFileSync(new URL(`../../examples/peers/${name}`, import.meta.url), 'utf8');

const children: ChildProcess[] = [];
afterAll(() => {
  for (const child of children) child.kill('SIGTERM');
});

/** A folder that the server may read, whoever it runs as. */
function folderFor(name: string): string {
  const folder = mkdtempSync(join(tmpdir(), `batharon-${name}-`));
  spawnSync('chmod', ['777', folder]);
  return folder;
}

const left = (name: string, what: string): void =>
  void process.stderr.write(`LEFT OUT: ${name} is missing, so ${what} is not tried against it\n`);
const hasNginx = existsSync(NGINX) && spawnSync('openssl', ['version']).status === 0;
if (!hasNginx) left('nginx or openssl', 'TLS by another address');

(hasNginx ? describe : describe.skip)('nginx', () => {
  let folder: string;
  let port: number;

  beforeAll(async () => {
    folder = folderFor('nginx');
    port = await freePort();
    const made = await generate([{ name: 'commonName', value: 'kiln.test' }], {
      extensions: [{ name: 'subjectAltName', altNames: [{ type: 2, value: 'kiln.test' }] }],
    });
    const openssl = (line: string): void => {
      const { status, stderr } = spawnSync('openssl', line.split(' '), { cwd: folder });
      if (status !== 0) throw new Error(String(stderr));
    };
    openssl(
      `req -x509 -newkey rsa:2048 -keyout key.pem -out desk.pem -days 30 -subj /CN=desk -passout pass:${PASSWORD}`,
    );
    openssl(
      `pkcs12 -export -inkey key.pem -in desk.pem -out desk.p12 -passin pass:${PASSWORD} -passout pass:${PASSWORD}`,
    );
    writeFileSync(join(folder, 'server.pem'), made.cert);
    writeFileSync(join(folder, 'server.key'), made.private);
    mkdirSync(join(folder, 'www'));
    mkdirSync(join(folder, 'www/pieces'));
    for (let n = 1; n <= 8; n++) writeFileSync(join(folder, `www/pieces/${n}`), `bowl ${n} of kiln.test`);
    writeFileSync(join(folder, 'www/film.bin'), Buffer.alloc(100_000, 7));
    writeFileSync(
      join(folder, 'nginx.conf'),
      `daemon off;
pid ${folder}/pid;
error_log ${folder}/error.log;
events {}
http {
  ssl_protocols TLSv1.3;
  access_log ${folder}/access.log;
  limit_req_zone $binary_remote_addr zone=pieces:1m rate=4r/s;
  limit_req_status 429;
  server {
    listen 127.0.0.1:${port} ssl http2;
    server_name kiln.test;
    ssl_certificate server.pem;
    ssl_certificate_key server.key;
    ssl_client_certificate desk.pem;
    ssl_verify_client on;
    root ${folder}/www;
    location /pieces/ {
      limit_req zone=pieces burst=2 nodelay;
      default_type text/plain;
    }
  }
  server {
    listen 127.0.0.1:${port} ssl http2 default_server;
    server_name _;
    ssl_certificate server.pem;
    ssl_certificate_key server.key;
    return 421;
  }
}
`,
    );
    children.push(spawn(NGINX, ['-p', folder, '-c', join(folder, 'nginx.conf')], { stdio: 'ignore' }));
    await isOpen(port);
  }, 30_000);

  test('by its name at another address, with a client key, in HTTP/2, at its pace, a range of a file', async () => {
    const own = folderWith({
      'batharon.yaml': exampleOf('nginx/batharon.yaml').replace('127.0.0.1:8443', `127.0.0.1:${port}`),
      'nginx.chain.yaml': exampleOf('nginx/nginx.chain.yaml'),
      'ca.pem': readFileSync(join(folder, 'server.pem'), 'utf8'),
    });
    writeFileSync(join(own, 'desk.p12'), readFileSync(join(folder, 'desk.p12')));
    const { code, stderr } = await batharon(own, ['run'], { env: { DESK_KEY_PASSWORD: PASSWORD } });
    expect([code, stderr]).toEqual([0, expect.stringContaining('2 of 2 steps passed')]);
    expect(stderr).not.toContain(PASSWORD);
    const log = readFileSync(join(folder, 'access.log'), 'utf8');
    expect(log).toMatch(/"GET \/film\.bin HTTP\/2\.0" 206 10 /);
    // Its limit was met, and obeyed.
    expect(log).toMatch(/"GET \/pieces\/\d HTTP\/2\.0" 429 /);
  });
});

if (!existsSync(APACHE)) left('apache2', 'WebDAV');

(existsSync(APACHE) ? describe : describe.skip)('WebDAV, by apache2', () => {
  let folder: string;
  let port: number;

  beforeAll(async () => {
    folder = folderFor('dav');
    port = await freePort();
    mkdirSync(join(folder, 'shelf'));
    spawnSync('chmod', ['777', join(folder, 'shelf')]);
    const modules = 'mpm_event authn_core authz_core authn_file auth_basic authz_user dav dav_fs'
      .split(' ')
      .map((name) => `LoadModule ${name}_module /usr/lib/apache2/modules/mod_${name}.so`);
    writeFileSync(
      join(folder, 'users'),
      `anna:{SHA}${createHash('sha1').update(PASSWORD).digest('base64')}\n`,
    );
    writeFileSync(
      join(folder, 'apache.conf'),
      `ServerName localhost
PidFile ${folder}/pid
ErrorLog ${folder}/error.log
Listen 127.0.0.1:${port}
${modules.join('\n')}
DocumentRoot ${folder}
DavLockDB ${folder}/locks
<Directory ${folder}/shelf>
  Dav On
  AuthType Basic
  AuthName shelf
  AuthUserFile ${folder}/users
  Require valid-user
</Directory>
`,
    );
    children.push(spawn(APACHE, ['-X', '-f', join(folder, 'apache.conf')], { stdio: 'ignore' }));
    await isOpen(port);
  }, 30_000);

  test('collections, moves, and what is there by XPath and as an object; what was made is taken back', async () => {
    const own = folderWith({
      'batharon.yaml': exampleOf('webdav/batharon.yaml').replace('localhost:8080', `127.0.0.1:${port}`),
      'webdav.chain.yaml': exampleOf('webdav/webdav.chain.yaml'),
    });
    const { code, stderr, stdout } = await batharon(own, ['run'], { env: { SHELF_PASSWORD: PASSWORD } });
    expect([code, stderr]).toEqual([0, expect.stringContaining('4 of 4 steps passed')]);
    expect(JSON.parse(stdout)).toEqual({ files: ['/shelf/bowls/', '/shelf/bowls/ash%20bowl.txt'] });
    expect(existsSync(join(folder, 'shelf/bowls'))).toBe(false);
  });
});

test('a sign-in by an HTML form', async () => {
  const { line, stop } = await startPeer('oauth-server.mjs');
  try {
    const own = folderWith({
      'batharon.yaml': exampleOf('form/batharon.yaml').replace(
        'http://localhost:3000',
        (JSON.parse(line) as { issuer: string }).issuer,
      ),
      'form.chain.yaml': exampleOf('form/form.chain.yaml'),
    });
    const { code, stderr } = await batharon(own, ['run'], { env: { OFFICE_PASSWORD: PASSWORD } });
    expect([code, stderr]).toEqual([0, expect.stringContaining('2 of 2 steps passed')]);
  } finally {
    stop();
  }
});
