/** What is done by hand to the faces of a building. */

export interface FilledCell {
  start: number; // metres from the face's left
  end: number;
  piece: string;
  opening: [left: number, right: number, low: number, high: number] | null;
  by_hand: boolean;
}

export interface Facing {
  id: string;
  edge: string;
  storey: number;
  role: string;
  looks: string; // to which side, by the compass
  at: [east: number, south: number]; // metres, of its left end
  way: [east: number, south: number]; // from there to its right, one long
  low: number; // metres up
  wide: number;
  high: number;
  out: number;
  cells: FilledCell[];
  outline: [along: number, up: number][]; // of a gable; empty where it is a rectangle
}

export interface FaceEdit {
  id: string;
  role?: string | null;
  out?: number;
  splits?: number[];
  cells?: { cell: number; piece: string }[];
}

const THIN = 0.3; // metres that a cell is wide at least

/** All edits with that of a face changed; one that says nothing is left out. */
function changed(edits: FaceEdit[], id: string, change: (e: FaceEdit) => FaceEdit): FaceEdit[] {
  const old = edits.find((e) => e.id === id) ?? { id };
  const next = change(old);
  const says = next.role || next.out || next.splits?.length || next.cells?.length;
  const rest = edits.filter((e) => e.id !== id);
  return says ? [...rest, next] : rest;
}

/** A cell is filled with a piece, with none (""), or again as its role has it (null). */
export const withPiece = (edits: FaceEdit[], id: string, cell: number, piece: string | null) =>
  changed(edits, id, (e) => {
    const rest = (e.cells ?? []).filter((c) => c.cell !== cell);
    return { ...e, cells: piece === null ? rest : [...rest, { cell, piece }].sort((a, b) => a.cell - b.cell) };
  });

/** A face is pulled out, or pushed in. */
export const withPull = (edits: FaceEdit[], id: string, out: number) => changed(edits, id, (e) => ({ ...e, out }));

/** A face has another role than its place gives it, or that one again (null). */
export const withRole = (edits: FaceEdit[], id: string, role: string | null) =>
  changed(edits, id, (e) => ({ ...e, role }));

/** Where a cell can be split, nearest to so many metres along its face; null where it is too narrow. */
export function splitAt(face: Facing, cell: number, along: number): number | null {
  const own = face.cells[cell];
  if (!own || isGable(face) || own.end - own.start < 2 * THIN) return null;
  return Math.min(own.end - THIN, Math.max(own.start + THIN, along));
}

/** A cell is split in two, in halves or near a place along its face; pieces set by hand stay where they are. Null where it is too narrow. */
export function withSplit(edits: FaceEdit[], face: Facing, cell: number, along?: number): FaceEdit[] | null {
  const own = face.cells[cell];
  const at = own && splitAt(face, cell, along ?? 0.5 * (own.start + own.end));
  if (at === null || at === undefined) return null;
  const splits = [...face.cells.slice(1).map((c) => c.start), at].sort((a, b) => a - b).map(rounded);
  return changed(edits, face.id, (e) => ({
    ...e,
    splits,
    cells: (e.cells ?? []).map((c) => (c.cell > cell ? { ...c, cell: c.cell + 1 } : c)),
  }));
}

/** The joint behind a cell is moved along the face, no nearer to others than a cell is wide at least. */
export function withJoint(edits: FaceEdit[], face: Facing, cell: number, to: number): FaceEdit[] {
  const own = face.cells[cell];
  const next = face.cells[cell + 1];
  if (!own || !next) return edits;
  const at = rounded(Math.min(next.end - THIN, Math.max(own.start + THIN, to)));
  const splits = face.cells.slice(1).map((c, k) => (k === cell ? at : rounded(c.start)));
  return changed(edits, face.id, (e) => ({ ...e, splits }));
}

/** The joint behind a cell is taken out; what fills the cell before it fills both. Null where it is the last one. */
export function withoutJoint(edits: FaceEdit[], face: Facing, cell: number): FaceEdit[] | null {
  const splits = face.cells.slice(1).flatMap((c, k) => (k === cell ? [] : rounded(c.start)));
  if (!splits.length || splits.length === face.cells.length - 1) return null;
  return changed(edits, face.id, (e) => ({
    ...e,
    splits,
    cells: (e.cells ?? []).flatMap((c) => (c.cell === cell + 1 ? [] : c.cell > cell ? { ...c, cell: c.cell - 1 } : c)),
  }));
}

/** A face is cut in cells again as its role has it. */
export const withoutSplits = (edits: FaceEdit[], id: string) => changed(edits, id, (e) => ({ ...e, splits: [] }));

const rounded = (v: number) => Math.round(v * 1000) / 1000;

/** The cell that is so many metres along its face. */
export function cellAt(face: Facing, along: number): number {
  const found = face.cells.findIndex((c) => along < c.end);
  return found < 0 ? face.cells.length - 1 : found;
}

/** What is filled by hand only: it is neither pulled nor split. */
export const isGable = (f: Facing) => f.outline.length > 0;

/** What a face is called. */
export const faceName = (f: Facing) => `${f.looks} ${f.edge}, ${isGable(f) ? 'gable' : 'storey'} ${f.storey + 1}`;

/** The corners of a face: metres from its left and up. */
export const cornersOf = (f: Facing): [along: number, up: number][] =>
  isGable(f) ? f.outline : [[0, 0], [f.wide, 0], [f.wide, f.high], [0, f.high]]; // prettier-ignore

/** Whether a place lies within a face: by how often a line to its right crosses its outline. */
export const within = (f: Facing, along: number, up: number): boolean => {
  const ring = cornersOf(f);
  let inside = false;
  ring.forEach(([ax, ay], k) => {
    const [bx, by] = ring[(k + 1) % ring.length] ?? [0, 0];
    if (ay > up !== by > up && along < ax + ((up - ay) / (by - ay)) * (bx - ax)) inside = !inside;
  });
  return inside;
};

/** Faces of one edge over each other, edge after edge. */
export function byEdge(faces: Facing[]): { edge: string; wide: number; faces: Facing[] }[] {
  const out = new Map<string, Facing[]>();
  for (const f of faces) out.set(f.edge, [...(out.get(f.edge) ?? []), f]);
  return [...out].map(([edge, own]) => ({ edge, wide: Math.max(...own.map((f) => f.wide)), faces: own }));
}
