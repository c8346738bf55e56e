import type { Finding } from '../model/finding.ts';

/** Says how it is said here, where a statement or a setting may be written as another notation has it. */
export async function withRemedies(findings: readonly Finding[]): Promise<Finding[]> {
  if (!findings.some(each => each.unread || unknownKey(each) !== undefined)) return [...findings];
  const { remedyOf, settingMeant } = await import('./remedies-library.ts');
  return findings.map(({ unread, ...each }) => {
    const key = unknownKey(each);
    const remedy =
      (unread && remedyOf(unread, each.remedy)) ??
      (key === undefined ? undefined : settingMeant(key)) ??
      each.remedy;
    return { ...each, ...(remedy !== undefined && { remedy }) };
  });
}

/** Of a setting that is none: its name. */
function unknownKey({ code, message }: Omit<Finding, 'unread'>): string | undefined {
  return code === 'setting-unknown' ? /^'([^']+)' is no setting\.$/.exec(message)?.[1] : undefined;
}
