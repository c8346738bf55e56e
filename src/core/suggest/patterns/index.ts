import { product, sum } from './arithmetic.ts';
import { body, time } from './body.ts';
import { count, neighbour, page } from './counts.ts';
import { echo, limit, member, mention } from './echo.ts';
import { sorted, unique } from './lists.ts';
import { header, location, mediaType, problem, status } from './message.ts';
import { span, toCome } from './order.ts';
import type { Pattern } from './pattern.ts';
import { content, shape } from './shape.ts';
import { enumeration, form, range, shared } from './values.ts';

/** All forms that are looked for, best first: what a request is about before what its answer is made of. */
export const patterns: readonly Pattern[] = [
  status,
  echo,
  limit,
  member,
  product,
  sum,
  count,
  page,
  location,
  problem,
  mention,
  span,
  toCome,
  mediaType,
  shape,
  enumeration,
  neighbour,
  header,
  shared,
  form,
  content,
  unique,
  sorted,
  range,
  body,
  time,
];
