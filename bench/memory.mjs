// Loaded before the program: tells its peak memory when it ends.
import { writeFileSync } from 'node:fs';

process.on('exit', () =>
  writeFileSync(process.env.MERVOK_BENCH_MEMORY, String(process.resourceUsage().maxRSS)),
);
