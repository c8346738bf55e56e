// The client of MariaDB and MySQL, as one part of the bundle.
export { createConnection } from 'mysql2';
