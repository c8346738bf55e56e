import { standIn } from './patch.mjs';

/** It can start other programs as commands; Mervok has none, and what starts programs takes milliseconds to load. */
export const commander = {
  name: 'commander',
  version: '14.0.3',
  setup(build) {
    standIn(build, 'commander', '/commander/', { 'node:child_process': 'module.exports = {};' });
  },
};
