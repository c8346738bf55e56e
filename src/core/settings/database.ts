import type { Template } from '../language/templates/template.ts';
import type { Range } from '../model/source.ts';

/** What a database speaks; MySQL and MariaDB are the same to those who ask. */
export const dialects = ['postgres', 'mariadb', 'sqlite'] as const;
export type Dialect = (typeof dialects)[number];

/** A database, as a level names it; each part may refer to names. */
export interface DatabaseSetting {
  readonly name: string;
  readonly dialect: Dialect;
  /** Host and port; nothing of a database that is a file. */
  readonly authority?: Template;
  /** What it is called there, or the path of the file, relative to the file that names it. */
  readonly database: Template;
  readonly user?: Template;
  readonly password?: Template;
  readonly tls: DatabaseTls;
  /** Whether a file that is not there is made. */
  readonly create: boolean;
  /** How many connections are open at once, at the most. */
  readonly connections: number;
  readonly range: Range;
  /** Makes a path of the file that it is written in one of the collection. */
  readonly pathBeside: (path: string) => string;
}

/** `none` where nobody needs to look who answers; by itself where it leaves the machine. */
export type DatabaseTls = 'none' | 'elsewhere' | { readonly [Key in 'ca' | 'cert' | 'key']?: Template };

/** Everything of a database that is a reference somewhere. */
export function templatesOfDatabase({
  authority,
  database,
  user,
  password,
  tls,
}: DatabaseSetting): Template[] {
  const parts = typeof tls === 'object' ? Object.values(tls) : [];
  return [authority, database, user, password, ...parts].flatMap(each => each ?? []);
}
