import { AxeBuilder } from '@axe-core/playwright';
import type { Page } from '@playwright/test';

/** The rules of the Web Content Accessibility Guidelines, levels A and AA. */
const WCAG = ['wcag2a', 'wcag2aa', 'wcag22aa'];

/** Which rules are held: those of the standard, all, or of all those whose breach is serious. */
type Rules = 'standard' | 'all' | 'serious';

/** What a machine finds wrong with a page for those who use a keyboard or have it read to them. */
export async function accessFaults(page: Page, rules: Rules = 'standard'): Promise<string[]> {
  const { violations } = await new AxeBuilder({ page })
    .options({
      ...(rules === 'standard' ? { runOnly: { type: 'tag', values: WCAG } } : {}),
      // What passes is not told at length, which takes as long as the rules.
      resultTypes: ['violations'],
    })
    // The page has no frames of others: its results need no page of their own to be put together in.
    .setLegacyMode()
    .analyze();
  const meant = violations.filter(
    ({ impact }) => rules !== 'serious' || impact === 'serious' || impact === 'critical',
  );
  return meant.map(({ id, nodes }) => {
    const places = nodes.slice(0, 3).map(({ target }) => target.join(' '));
    return `${id}: ${places.join(' | ')}`;
  });
}
