// What queries are measured against: a loop over a bare driver that asks and compares the same.
//   node bare-queries.mjs COUNT sqlite FILE
//   node bare-queries.mjs COUNT postgres PORT USER PASSWORD DATABASE
const [count, dialect, ...address] = process.argv.slice(2);

const openers = {
  async sqlite(file) {
    const { default: Database } = await import('libsql');
    const database = new Database(file);
    return {
      ask: value => database.prepare('select quay, depth, state from berths where id = ?').all(value),
      close: () => database.close(),
    };
  },
  async postgres(port, user, password, database) {
    const { default: pg } = await import('pg');
    const client = new pg.Client({ host: '127.0.0.1', port: Number(port), user, password, database });
    await client.connect();
    const text = 'select quay, depth, state from berths where id = $1';
    return { ask: async value => (await client.query(text, [value])).rows, close: () => client.end() };
  },
};

const { ask, close } = await openers[dialect](...address);
let held = 0;
for (let at = 0; at < Number(count); at++) {
  const begin = performance.now();
  const rows = await ask(417);
  if (rows.length === 1) held++;
  if (rows[0].quay === 'North Quay') held++;
  if (Number(rows[0].depth) === 4.2) held++;
  if (rows[0].state === 1) held++;
  if (performance.now() - begin < 2000) held++;
}
await close();
if (held !== 5 * Number(count)) throw new Error(`${held} checks held`);
