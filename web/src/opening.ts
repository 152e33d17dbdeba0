/** The first of the page's scripts: begins with what takes long. */
import { askAhead } from './api/ahead';

const [, scene, asset] = /^#\/scene\/([^/]+)(\/asset\/)?/.exec(location.hash) ?? [];
if (scene) {
  void (asset ? import('./screens/BenchRoute.svelte') : import('./screens/BoardRoute.svelte'));
  const own = `/api/scenes/${scene}`;
  askAhead(['/api/session', own, '/api/kinds', '/api/profiles', ...(asset ? [] : [`${own}/evaluation`])]);
}
