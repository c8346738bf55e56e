import { existsSync } from 'node:fs';
import type { TestContext } from 'node:test';
import { type Browser, type BrowserContextOptions, chromium, type Page } from 'playwright-core';

const executablePath = ['/usr/bin/chromium', '/usr/bin/chromium-browser'].find(existsSync);
/** Why tests in a browser are left out, where they are. */
export const skip =
  executablePath === undefined ? 'Chromium is not installed here (.ci/run installs it)' : false;

/** A page of a browser that writes down what must not be: requests, and errors on the console. */
export async function openInBrowser(
  t: TestContext,
  url: string,
  options: BrowserContextOptions = {},
  /** Whether an address may be asked for. */
  mayAsk: (asked: string) => boolean = asked => asked === url,
): Promise<{ page: Page; seen: string[] }> {
  const browser: Browser = await chromium.launch({
    executablePath: executablePath!,
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
  t.after(() => browser.close());
  const page = await (
    await browser.newContext({ viewport: { width: 1280, height: 800 }, ...options })
  ).newPage();
  const seen: string[] = [];
  page.on('console', message => seen.push(`${message.type()}: ${message.text()}`));
  page.on('pageerror', error => seen.push(error.message));
  page.on('dialog', dialog => seen.push(`dialog: ${dialog.message()}`));
  page.on('request', request => mayAsk(request.url()) || seen.push(`request: ${request.url()}`));
  await page.goto(url);
  return { page, seen };
}

/** Runs in the page: the texts whose contrast is below 4.5 (WCAG 2.2, 1.4.3). */
export function weakTexts(): string[] {
  const canvas = document.createElement('canvas').getContext('2d', { willReadFrequently: true })!;
  const channels = (colour: string) => {
    canvas.clearRect(0, 0, 1, 1);
    canvas.fillStyle = colour;
    canvas.fillRect(0, 0, 1, 1);
    return [...canvas.getImageData(0, 0, 1, 1).data];
  };
  const luminance = (colour: string) => {
    const [r = 0, g = 0, b = 0] = channels(colour).map(value => {
      const share = value / 255;
      return share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4;
    });
    return 0.2126 * r + 0.7152 * g + 0.0722 * b;
  };
  const ground = (element: Element | null): string => {
    if (!element) return 'white';
    const { backgroundColor } = getComputedStyle(element);
    return channels(backgroundColor)[3]! > 0 ? backgroundColor : ground(element.parentElement);
  };
  const weak: string[] = [];
  for (const element of document.querySelectorAll('body *')) {
    const own = [...element.childNodes].some(node => node.nodeType === 3 && node.textContent!.trim() !== '');
    if (!own || element.closest('script, style, noscript, title, desc')) continue;
    if (!element.checkVisibility({ visibilityProperty: true })) continue;
    const style = getComputedStyle(element);
    const colour = element instanceof SVGElement ? style.fill : style.color;
    const [light = 1, dark = 0] = [luminance(colour), luminance(ground(element))].sort((a, b) => b - a);
    const contrast = (light + 0.05) / (dark + 0.05);
    if (contrast < 4.5)
      weak.push(`${element.tagName}.${element.getAttribute('class')}: ${contrast.toFixed(2)}`);
  }
  return [...new Set(weak)];
}
