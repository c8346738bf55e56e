// What a run is measured against: a loop over the pool of undici that sends the same, reads the same and compares the same;
// for several users, as many loops over a pool with as many connections.
import { Pool } from 'undici';

const [origin, rounds, users = '1'] = process.argv.slice(2);
const pool = new Pool(origin, users === '1' ? {} : { connections: Number(users) });
const sent = { 'User-Agent': 'mervok', 'Accept-Encoding': 'gzip, deflate, br' };
let held = 0;

async function user() {
  for (let round = 0; round < Number(rounds); round++) {
    const begin = performance.now();
    const { statusCode, headers, body } = await pool.request({
      path: '/berths/417',
      method: 'GET',
      headers: sent,
    });
    const document = JSON.parse(await body.text());
    if (statusCode === 200) held++;
    if (headers['content-type'].includes('json')) held++;
    if (document.id === 417) held++;
    if (document.berths[2].code === '0419') held++;
    if (performance.now() - begin < 2000) held++;
  }
}

await Promise.all(Array.from({ length: Number(users) }, user));
await pool.close();
if (held !== 5 * Number(users) * Number(rounds)) throw new Error(`${held} checks held`);
