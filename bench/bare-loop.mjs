// What a run is measured against: a loop over the pool of undici that reads the same and compares the same.
import { Pool } from 'undici';

const [origin, count] = process.argv.slice(2);
const pool = new Pool(origin);
// What goes over the wire is the same.
const sent = { 'User-Agent': 'mervok', 'Accept-Encoding': 'gzip, deflate, br' };
let held = 0;
for (let round = 0; round < Number(count); round++) {
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
await pool.close();
if (held !== 5 * Number(count)) throw new Error(`${held} checks held`);
