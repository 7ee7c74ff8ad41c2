/**
 * How Debian's Chromium is started, by the tests and for pictures. The one with windows loads pages of its
 * own (the list below its address line) in each of them, which costs as much as the page that is tested.
 */
export const BROWSER = {
  executablePath: process.env.CHROMIUM_PATH ?? '/usr/bin/chromium-headless-shell',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
};
