/** One sheet of maps: what a level is written with in place of its own materials. */
import { api, take, type SheetFacts, type Values } from '../api/client';

interface Recipe {
  kind: string;
  parameters: Values;
  seed: number;
  scene: string;
  images: Record<string, string>;
}

/** Whether an asset asks for maps of its own. */
export function asksForSheet(parameters: Values): boolean {
  const game = parameters.game as { sheet?: { size?: string } } | undefined;
  return (game?.sheet?.size ?? 'none') !== 'none';
}

/** How near each level comes that has maps of its own. */
export function sheetOf({ kind, parameters, seed, scene, images }: Recipe, signal: AbortSignal): Promise<SheetFacts[]> {
  const body = { kind, parameters, seed, scene, images, detail: 0 };
  return take<SheetFacts[]>(api.POST('/api/bench/sheet', { body, signal }));
}
