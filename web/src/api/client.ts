/** The service's API, typed by its own schema. */
import type { Condition } from '../state/conditions';
import type { MixEntry } from '../state/mix';
import createClient from 'openapi-fetch';
import { answered } from './ahead';
import type { components, paths } from './schema';

export type Scene = components['schemas']['SceneOut'];
export type SceneCard = components['schemas']['SceneCard'];
export type Layer = components['schemas']['LayerOut'];
export type Asset = components['schemas']['AssetOut'];
export type Evaluation = components['schemas']['EvaluationOut'];
export type LayerView = components['schemas']['LayerView'];
export type BlockPage = components['schemas']['BlocksOut'];
export type Card = components['schemas']['CardOut'];
export type Lamp = components['schemas']['LampOut'];
export type Variant = components['schemas']['VariantOut'];
export type Weight = components['schemas']['WeightOut'];
export type Release = components['schemas']['ReleaseOut'];
export type Names = components['schemas']['NamesOut'];
export type Gains = components['schemas']['GainsOut'];
export type Compared = components['schemas']['ComparedOut'];
export type Settings = components['schemas']['Settings'];
export type Viewpoint = components['schemas']['Viewpoint'];
export type Profile = components['schemas']['ProfileOut'];
export type Kind = components['schemas']['KindOut'];
export type Kinds = components['schemas']['KindsOut'];
export type Row = components['schemas']['Row'];
export type Account = components['schemas']['AccountOut'];
export type SheetFacts = components['schemas']['SheetFacts'];
export type LevelFacts = components['schemas']['LevelFacts'];
export type Picture = components['schemas']['PictureOut'];
export type Cousin = components['schemas']['CousinOut'];
export type Preset = components['schemas']['PresetOut'];
export type Revision = components['schemas']['RevisionOut'];
export type Recipe = components['schemas']['RecipeOut'];
export type Model = components['schemas']['ModelOut'];
export type LibraryItem = components['schemas']['ItemOut'];
export type Found = components['schemas']['SearchOut'];
export type Taken = components['schemas']['TakenOut'];
export type Origin = components['schemas']['OriginOut'];
export type Heights = components['schemas']['HeightsOut'];
export type Way = components['schemas']['WayOut'];
export type Measure = components['schemas']['MeasureOut'];
export type LayerGame = Layer['game'];
export type Trial = components['schemas']['TrialOut'];
export type TrialSet = components['schemas']['TrialsOut'];
export type Shadow = Layer['shadow'];
export type Elevation = components['schemas']['ElevationOut'];
export type StripMap = components['schemas']['StripMap'];
export type Trouble = components['schemas']['TroubleOut'];
export type Finding = components['schemas']['TroubleFinding'];
export type Adjusted = components['schemas']['AdjustOut'];
export type Gathered = components['schemas']['GatherOut'];
export type Mend = components['schemas']['MendOut'];
export type Values = Record<string, unknown>;

/** What is set of a layer on the faces of others. */
export interface SurfacesValues {
  mirrored?: number;
  mix: MixEntry[];
  on: string[];
  spacing: number;
  fill: number;
  only_painted?: boolean;
  strokes?: { does: string }[];
  facing: [number, number];
  conditions?: Condition[];
  lean: number;
  tilt: number;
  turn: number;
  size: [number, number];
  sink: [number, number];
}

/** What is set of a layer in the air. */
export interface AirValues {
  mirrored?: number;
  mix: MixEntry[];
  points: [number, number][];
  form: 'box' | 'ball' | 'tube';
  wide: number;
  tall: number;
  deep: number;
  above: number;
  count: number;
  bias: number;
  apart: number;
  conditions?: Condition[];
  dropped: boolean;
  tilt: number;
  turn: number;
  facing: number;
  size: [number, number];
}

/** What is set of a layer of piles. */
export interface PileValues {
  mirrored?: number;
  mix: MixEntry[];
  points: [number, number][];
  how: 'dropped' | 'set';
  count: number;
  radius: number;
  friction: number;
  size: [number, number];
}

/** What is set of a wall. */
export interface WallValues {
  joints: 'dry' | 'mortar';
  height: number;
  thickness: number;
  bond: 'courses' | 'rubble';
  sizes: [number, number];
  coping: 'none' | 'flat' | 'upright';
  follows: 'slope' | 'steps';
  bends: 'round' | 'sharp';
  crossed: 'none' | 'open' | 'lintel' | 'arch';
  clear: number;
  gate: 'none' | 'bars' | 'boards';
  paved: 'none' | 'flags' | 'setts' | 'cobbles';
  ruin: number;
  openings?: { id: string; at: [number, number]; width: number; height: number; head: 'open' | 'lintel' | 'arch' }[];
}

/** What is set of a brick run. */
export interface BricksValues {
  bends: 'round' | 'sharp';
  long: number;
  wide: number;
  high: number;
  gap: number;
  bed: number;
  bond: 'running' | 'third' | 'stack' | 'header' | 'english' | 'garden' | 'flemish' | 'pierced';
  rows: number;
  turn_even: number;
  turn_odd: number;
  courses: number;
  follows: 'level' | 'steps';
  cap: boolean;
  joints: 'dry' | 'mortar';
  crossed: 'none' | 'open' | 'lintel';
  clear: number;
  gate: 'none' | 'bars' | 'boards';
  paved: 'none' | 'flags' | 'setts' | 'cobbles';
}

/** What is set of a fence. */
export interface FenceValues {
  bends: 'round' | 'sharp';
  style: 'rails' | 'pales' | 'boards';
  height: number;
  bay: number;
  rails: number;
  post: number;
  pale: number;
  gap: number;
  crossed: 'none' | 'open';
  gate: 'none' | 'bars' | 'boards';
}

/** What is set of a hedge. */
export interface HedgeValues {
  bends: 'round' | 'sharp';
  mix: MixEntry[];
  spacing: number;
  rows: number;
  bank: number;
  crossed: 'none' | 'open';
}

/** What is set of a layer along paths. */
export interface AlongValues {
  mirrored?: number;
  mix: MixEntry[];
  paths: string[];
  spacing: number;
  layout: string;
  jitter: number;
  free_start: number;
  free_end: number;
  sides: string;
  offset: number;
  rows: number;
  between: number;
  cluster: number;
  radius: number;
  apart: string;
  conditions?: Condition[];
  facing: string;
  azimuth: number;
  turn: number;
  size: [number, number];
  sink: [number, number];
  grounded: boolean;
  spin: number;
  spin_sides: number;
  spin_front: number;
}

/** What is set of a street. */
export interface StreetValues {
  mix: MixEntry[];
  paths: string[];
  conditions?: Condition[];
  spacing: number;
  sides: 'both' | 'left' | 'right' | 'alternate';
  back: number;
  apart: number;
  rows: number;
  turn: number;
  landmarks: MixEntry[];
  landmark_share: number;
  plots: 'none' | 'hedge' | 'wall';
  wall_high: number;
  hedge: MixEntry[];
  hedge_deep: number;
  trees: MixEntry[];
  trees_stand: 'middle' | 'outside';
  tree_spacing: number;
  lamps: MixEntry[];
  lamp_spacing: number;
  paved: 'none' | 'flags' | 'setts' | 'cobbles';
  kerb: boolean;
}

/** What is set of a climber. */
export interface ClimberValues {
  mix: MixEntry[];
  on: string[];
  starts: 'points' | 'foot';
  points: [x: number, z: number, up?: number][];
  share: number;
  stems: number;
  reach: number;
  wander: number;
  dense: number;
  thinned: number;
  size: [number, number];
}

/** How things stand on the ground. */
export interface StanceValues {
  mirrored?: number;
  lean: number;
  turn: number;
  tilt: number;
  facing: number;
  turn_step: number;
  linked: boolean;
  tall: [number, number];
  size: [number, number];
  sink: [number, number];
  grounded: boolean;
}

/** What is set of a layer that spreads assets over the ground. */
export interface SpreadValues extends StanceValues {
  mix: MixEntry[];
  spacing: number;
  crowns: boolean;
  overlap: number;
  apart: number;
  apart_from: string;
  conditions: Condition[];
  strokes?: { does: string }[];
}

/** The parameters of a scatter. */
export interface ScatterValues extends SpreadValues {
  areas: string[];
  fill: number;
  how_many: string;
  per_hectare: number;
  in_all: number;
  pattern: string;
  rows: number;
  azimuth: number;
  jitter: number;
  contours: number;
  only_painted?: boolean;
}

export const api = createClient<paths>({ baseUrl: '', fetch: answered });

/** An answer other than success, or no answer (status 0). */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    message: string,
    readonly current?: unknown,
  ) {
    super(message);
  }
}

interface Answer {
  data?: unknown;
  error?: unknown;
  response: Response;
}

/** The data of an answer, as the type that is expected; throws `ApiError` with the service's own sentence otherwise. */
export async function take<T>(request: Promise<Answer>): Promise<T> {
  let answer: Answer;
  try {
    answer = await request;
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error;
    throw new ApiError(0, 'No answer', 'the server does not answer');
  }
  if (answer.response.ok) return answer.data as T;
  const problem = (answer.error ?? {}) as { title?: string; detail?: string; current?: unknown };
  const status = answer.response.status;
  throw new ApiError(
    status,
    problem.title ?? 'Failed',
    problem.detail ?? `the server answered ${status}`,
    problem.current,
  );
}

/** Bytes from the service; throws as `take`. */
export async function bytes(path: string, init?: RequestInit): Promise<ArrayBuffer> {
  let response: Response;
  try {
    response = await fetch(path, init);
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error;
    throw new ApiError(0, 'No answer', 'the server does not answer');
  }
  if (response.ok) return response.arrayBuffer();
  const problem = (await response.json().catch(() => ({}))) as { title?: string; detail?: string };
  throw new ApiError(
    response.status,
    problem.title ?? 'Failed',
    problem.detail ?? `the server answered ${response.status}`,
  );
}

/** How far work is. */
export interface Progress {
  share: number; // done, 0 to 1
  words: string; // what is being done
}

/** Bytes from the service that tells, in lines of JSON before them, how far they are. */
export async function toldBytes(
  path: string,
  init: RequestInit,
  told: (progress: Progress, picture?: ArrayBuffer) => void,
): Promise<ArrayBuffer> {
  const response = await fetch(path, init);
  if (!response.ok || !response.body) {
    const problem = (await response.json().catch(() => ({}))) as { title?: string; detail?: string };
    throw new ApiError(
      response.status,
      problem.title ?? 'Failed',
      problem.detail ?? `the server answered ${response.status}`,
    );
  }
  const stream = new Told(response.body.getReader());
  for (;;) {
    const line = await stream.line();
    if (line.error) throw new ApiError(422, 'Not valid', line.error);
    if (line.bytes !== undefined) return stream.take(line.bytes);
    const picture = line.picture === undefined ? undefined : await stream.take(line.picture);
    told({ share: line.share ?? 0, words: line.words ?? '' }, picture);
  }
}

/** What is told in lines, some with bytes behind them. */
class Told {
  private held = new Uint8Array();

  constructor(private readonly reader: ReadableStreamDefaultReader<Uint8Array>) {}

  private async next(): Promise<Uint8Array> {
    const { done, value } = await this.reader.read();
    if (done) throw new ApiError(0, 'No answer', 'the server broke off');
    return value;
  }

  async line() {
    for (;;) {
      const end = this.held.indexOf(10);
      if (end >= 0) {
        const text = new TextDecoder().decode(this.held.subarray(0, end));
        this.held = this.held.slice(end + 1);
        return JSON.parse(text) as Partial<Progress> & { bytes?: number; picture?: number; error?: string };
      }
      const value = await this.next();
      const more = new Uint8Array(this.held.length + value.length);
      more.set(this.held);
      more.set(value, this.held.length);
      this.held = more;
    }
  }

  async take(bytes: number): Promise<ArrayBuffer> {
    const out = new Uint8Array(bytes);
    let at = Math.min(bytes, this.held.length);
    out.set(this.held.subarray(0, at));
    this.held = this.held.slice(at);
    while (at < bytes) {
      const value = await this.next();
      const own = Math.min(bytes - at, value.length);
      out.set(value.subarray(0, own), at);
      this.held = value.slice(own);
      at += own;
    }
    return out.buffer;
  }
}

export function said(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}
