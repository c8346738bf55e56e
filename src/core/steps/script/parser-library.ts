// What reads JavaScript; a part of the bundle that is loaded only where there are scripts.
export { parse } from 'acorn';
