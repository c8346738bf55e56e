import assert from 'node:assert/strict';
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join, resolve } from 'node:path';
import { type TestContext, test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { closedPort } from '../support/server.ts';

const isThere = spawnSync('nginx', ['-v']).error === undefined;
const missing = isThere ? false : 'nginx is not installed here (.ci/run installs it)';

/** A server that none of us wrote: TLS with HTTP/2, client certificates, ranges, basic authorization, compression. */
async function startNginx(t: TestContext): Promise<{ plain: string; safe: string }> {
  const [plain, safe] = [await closedPort(), await closedPort()];
  const password = createHash('sha1').update('spring-tide').digest('base64');
  const folder = folderWith(t, {
    'www/tides.txt': 'high water 06:12\n'.repeat(500),
    'www/quay.json': '{"quay": "North Quay", "depth": 4.2}',
    'www/keeper/log.txt': 'Light on at dusk.\n',
    htpasswd: `keeper:{SHA}${password}\n`,
    'logs/error.log': '',
  });
  const tls = (name: string) => resolve('demo/harbour/tls', name);
  writeFileSync(
    join(folder, 'nginx.conf'),
    `${process.getuid?.() === 0 ? 'user root;' : ''}
daemon off; pid ${folder}/pid; error_log ${folder}/logs/error.log;
events {}
http {
  access_log off; client_body_temp_path ${folder}/tmp; proxy_temp_path ${folder}/tmp; fastcgi_temp_path ${folder}/tmp;
  uwsgi_temp_path ${folder}/tmp; scgi_temp_path ${folder}/tmp;
  types { application/json json; text/plain txt; }
  gzip on; gzip_types text/plain; root ${folder}/www;
  server { listen 127.0.0.1:${plain}; location / { return 301 https://127.0.0.1:${safe}$request_uri; } }
  server {
    listen 127.0.0.1:${safe} ssl http2;
    ssl_certificate ${tls('server.pem')}; ssl_certificate_key ${tls('server.key')};
    ssl_client_certificate ${tls('authority.pem')}; ssl_verify_client optional;
    location /keeper/ { auth_basic "keeper"; auth_basic_user_file ${folder}/htpasswd; }
    location /known { if ($ssl_client_verify != SUCCESS) { return 403; } return 200 "$ssl_client_s_dn"; }
  }
}
`,
  );
  const server = spawn('nginx', ['-p', folder, '-c', join(folder, 'nginx.conf')], { stdio: 'pipe' });
  let said = '';
  server.stderr.on('data', chunk => (said += chunk));
  t.after(() => server.kill());
  for (let tries = 0; tries < 100; tries++) {
    const open = await new Promise<boolean>(done => {
      const socket = connect(safe, '127.0.0.1', () => done(true)).on('error', () => done(false));
      socket.on('connect', () => socket.destroy());
    });
    if (open) return { plain: `http://127.0.0.1:${plain}`, safe: `https://127.0.0.1:${safe}` };
    await new Promise(wait => setTimeout(wait, 50));
  }
  throw new Error(`nginx did not open: ${said}`);
}

const page = `# A server of others

## HTTP/2 over TLS

~~~http
GET /quay.json
~~~

~~~mervok
status = 200
version = "HTTP/2"
$.depth = 4.2
keep header etag as seen
~~~

## Nothing new

~~~http
GET /quay.json
If-None-Match: {seen}
~~~

~~~mervok
status = 304
size = 0 B
~~~

## Compressed

~~~http
GET /tides.txt
~~~

~~~mervok
status = 200
header content-encoding = "gzip"
size = 8.5 kB
count body /high water/ = 500
~~~

## A stretch of it

~~~yaml settings
headers: { Accept-Encoding: null }
~~~

~~~http
GET /tides.txt
Range: bytes=5-9
~~~

~~~mervok
status = 206
body = "water"
header content-range = "bytes 5-9/8500"
~~~

## Basic authorization

~~~yaml settings
auth: { basic: { user: keeper, password: "{word}" } }
~~~

~~~http
GET /keeper/log.txt
~~~

~~~mervok
status = 200
body contains "dusk"
~~~

## The wrong word

~~~yaml settings
auth: { basic: { user: keeper, password: neap-tide } }
~~~

~~~http
GET /keeper/log.txt
~~~

~~~mervok
status = 401
header www-authenticate starts with "Basic"
~~~

## Without a certificate

~~~http
GET /known
~~~

~~~mervok
status = 403
~~~

## With a certificate

~~~yaml settings
tls: { ca: authority.pem, cert: client.pem, key: client.key }
~~~

~~~http
GET /known
~~~

~~~mervok
status = 200
body contains "pilot boat"
~~~

## Sent on to the safe side

~~~http
GET {plain}/quay.json
~~~

~~~mervok
status = 200
url starts with "https://"
~~~

## Only its head

~~~http
HEAD /tides.txt
~~~

~~~mervok
status = 200
size = 0 B
~~~

## An unknown authority

~~~yaml settings
tls: null
~~~

~~~http
GET /quay.json
~~~

~~~mervok
fault = "tls"
~~~
`;

test('nginx is asked for all that it offers', { skip: missing }, async t => {
  const { plain, safe } = await startNginx(t);
  const own = (name: string) => readFileSync(join('demo/collection/office/tls', name));
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${safe}\ntls: { ca: authority.pem }\nvariables: { plain: "${plain}", word: { secret: spring-tide } }\n`,
    'server.md': page.replaceAll('~~~', '```'),
    'authority.pem': own('authority.pem'),
    'client.pem': own('client.pem'),
    'client.key': own('client.key'),
  });
  const { code, out, err } = await mervok(folder, ['run', '-o', 'record.ndjson']);
  assert.equal(code, 0, out + err);
  const record = readFileSync(join(folder, 'record.ndjson'), 'utf8');
  assert.ok(
    !record.includes('spring-tide') && !record.includes(Buffer.from('keeper:spring-tide').toString('base64')),
  );
  const compressed = record
    .split('\n')
    .find(line => line.includes('server.md#compressed') && line.includes('exchange'))!;
  const { response } = JSON.parse(compressed);
  assert.ok(response.encoded < 200 && response.body.size === 8500, 'sizes on the wire and decoded');
});
