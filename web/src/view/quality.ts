/** How much a picture at rest may cost: a step that is kept in the browser. */
export const STEPS = { coarse: 2, fine: 16, finest: 64 } as const;
export type Step = keyof typeof STEPS;

const KEY = 'plough.quality';

function kept(): Step {
  const found = localStorage.getItem(KEY) ?? '';
  return found in STEPS ? (found as Step) : 'fine';
}

export const quality = {
  step: kept(),
  /** Frames of a plate. */
  get frames(): number {
    return STEPS[this.step];
  },
  set(step: Step) {
    this.step = step;
    localStorage.setItem(KEY, step);
  },
};
