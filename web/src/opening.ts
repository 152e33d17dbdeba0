/** The first of the page's scripts: begins with what takes long. */
import { askAhead } from './api/ahead';

const [, scene, asset] = /^#\/scene\/([^/]+)(\/asset\/)?/.exec(location.hash) ?? [];
if (scene) {
  void import('./screens/SceneRoute.svelte');
  if (asset) void import('./screens/Bench.svelte');
  const own = `/api/scenes/${scene}`;
  askAhead(['/api/session', own, '/api/kinds', '/api/profiles', ...(asset ? [] : [`${own}/evaluation`])]);
}
