import { chromium } from '@playwright/test';
import { spawn } from 'node:child_process';
import { pathToFileURL } from 'node:url';
const port = 4777;
const server = spawn(process.execPath, ['cli/bin/crease.mjs','serve','--workspace','/tmp/ws/w.sqlite','--port',String(port),'--demo','--loans','20000'],{stdio:'ignore', env:{...process.env,XDG_CONFIG_HOME:'/tmp/ws/c'}});
const url=`http://127.0.0.1:${port}`;
for(let i=0;i<120;i++){ try{ const r=await fetch(url+'/api/models'); if(r.ok && (await r.json()).length) break;}catch{} await new Promise(r=>setTimeout(r,500)); }
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args:['--no-sandbox'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
page.on('pageerror', e => console.log('PAGEERROR', e.message));
page.on('console', m => m.type()==='error' && console.log('CONSOLE', m.text()));
try { await (await import(pathToFileURL(process.argv[2]))).default(page, url, async (n) => page.screenshot({ path: `/tmp/shots/${n}.png` })); } catch (e) { console.log(e.message); await page.screenshot({ path: '/tmp/shots/fail.png' }); }
await browser.close(); server.kill();
process.exit(0);
