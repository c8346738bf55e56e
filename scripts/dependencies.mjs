// What the project stands on: what is known against it, how many packages, under which licences, and how large what is
// installed in the end. Fails where a package has a grave and known hole, or a licence that nobody here has read.
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';

const { dependencies = {}, devDependencies = {} } = JSON.parse(readFileSync('package.json', 'utf8'));
const problems = [];

/** Licences that allow to hand a bundle on when they go with it (dist/NOTICES.txt). */
const accepted = [
  '0BSD',
  'Apache-2.0',
  'Bitstream-Vera',
  'BlueOak-1.0.0',
  'BSD-2-Clause',
  'BSD-3-Clause',
  'CC0-1.0',
  'ISC',
  'MIT',
  'Python-2.0',
  'Unlicense',
  'Zlib',
];

function npm(...args) {
  const { stdout } = spawnSync('npm', [...args, '--json'], { encoding: 'utf8', maxBuffer: 1e8 });
  try {
    return JSON.parse(stdout);
  } catch {
    return undefined;
  }
}

const known = npm('audit')?.metadata?.vulnerabilities;
if (!known) console.log('Audit: the registry answers none here.');
else {
  const told = ['critical', 'high', 'moderate', 'low'].map(level => `${known[level]} ${level}`);
  console.log(`Audit of all packages: ${told.join(', ')}.`);
  if (known.critical + known.high > 0) problems.push('npm audit tells which packages have known holes.');
}

console.log(
  `Direct dependencies: ${Object.keys(dependencies).length} to run, ${Object.keys(devDependencies).length} to build and test.`,
);

const [pack] = npm('pack', '--dry-run', '--ignore-scripts') ?? [];
const megabytes = bytes => `${(bytes / 1e6).toFixed(1)} MB`;
if (pack)
  console.log(
    `The package: ${megabytes(pack.size)} packed, ${megabytes(pack.unpackedSize)} installed, ${pack.entryCount} files.`,
  );
else problems.push('npm pack gives no package.');

const bundled = [...readFileSync('dist/NOTICES.txt', 'utf8').matchAll(/^(\S+) (\d\S*) \((.+)\)$/gm)];
if (bundled.length < 10) problems.push('dist/NOTICES.txt names hardly a package.');
const byLicence = new Map();
for (const [, name, , licence] of bundled) {
  byLicence.set(licence, [...(byLicence.get(licence) ?? []), name]);
  const words = licence.replace(/[()]/g, '').split(/ OR /);
  if (!words.some(word => accepted.includes(word))) problems.push(`${name} has the licence ${licence}.`);
}
console.log(`Licences of the ${bundled.length} packages that are bundled:`);
for (const [licence, names] of [...byLicence].sort((a, b) => b[1].length - a[1].length))
  console.log(`  ${licence}: ${names.join(', ')}`);

for (const problem of problems) console.error(problem);
process.exit(problems.length > 0 ? 1 : 0);
