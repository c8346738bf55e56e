// The client of PostgreSQL and nothing else of its package, as one part of the bundle.
export { default as Client } from 'pg/lib/client.js';
export { default as Query } from 'pg/lib/query.js';
