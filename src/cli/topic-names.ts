/** Parts of the reference that the terminal prints: by the word, the heading of the section. */
export const topics: ReadonlyMap<string, string> = new Map([
  ['pages', 'A page'],
  ['settings', 'Settings'],
  ['bounds', 'Bounds'],
  ['authorization', 'Authorization'],
  ['cookies', 'Cookies'],
  ['faults', 'Faults and retries'],
  ['names', 'Which value a name has'],
  ['flow', 'Flow between pages'],
  ['references', 'References'],
  ['bodies', 'Bodies'],
  ['statements', 'Statements'],
  ['values', 'Values'],
  ['responses', 'What a response offers'],
  ['jsonpath', 'JSONPath'],
  ['xml', 'XML'],
  ['html', 'HTML'],
  ['checks', 'Conditions'],
  ['schemas', 'Schemas'],
  ['functions', 'Functions'],
  ['patterns', 'Patterns'],
  ['steps', 'Other steps'],
  ['commands', 'Commands'],
  ['scripts', 'Scripts'],
  ['grammar', 'Grammar'],
]);

export const topicNames: readonly string[] = [...topics.keys()];
