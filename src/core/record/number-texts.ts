/** `1.2 %`; what is not nothing is never told as nothing, and what is not all never as all. */
export function percentText(share: number): string {
  const percent = share * 100;
  if (percent > 0 && percent < 0.01) return 'under 0.01 %';
  if (percent > 99.99 && percent < 100) return 'over 99.99 %';
  const places = percent < 1 || percent > 99 ? 2 : 1;
  return `${Number(percent.toFixed(places))} %`;
}

export function rateText(perSecond: number): string {
  const places = perSecond < 1 ? 2 : perSecond < 100 ? 1 : 0;
  return String(Number(perSecond.toFixed(places))).replace(/\B(?=(?:\d{3})+$)/g, places === 0 ? ',' : '');
}

export function apdexText(apdex: number): string {
  return apdex.toFixed(2);
}
