// Calls functions of the page's modules: each line of the input names a module, a function and its arguments as JSON.
import { createServer } from 'vite';

const server = await createServer({
  server: { middlewareMode: true, ws: false, watch: null },
  appType: 'custom',
  logLevel: 'error',
  optimizeDeps: { noDiscovery: true, include: [] },
});
let text = '';
for await (const chunk of process.stdin) text += chunk;
const answers = [];
for (const { module, name, args } of JSON.parse(text)) {
  const loaded = await server.ssrLoadModule(`/src/${module}`);
  const found = loaded[name](...args);
  answers.push(typeof found === 'function' && found.domain ? found.domain() : (found ?? null));
}
await server.close();
process.stdout.write(JSON.stringify(answers));
