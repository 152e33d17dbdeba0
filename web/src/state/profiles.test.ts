import { describe, expect, it } from 'vitest';
import { chosenProfile, freshProfile, profilesOf, withoutProfile } from './profiles';

const known = [
  { name: 'phone', title: 'phone', triangles: 4e5, instances: 4000, draw_calls: 150, bytes: 48e6, texture: 512 },
  {
    name: 'console',
    title: 'mid-range console',
    triangles: 2e6,
    instances: 4e4,
    draw_calls: 900,
    bytes: 256e6,
    texture: 0,
  },
];
const own = {
  id: 'own-1',
  name: 'Hand-held',
  like: 'phone',
  triangles: 900_000,
  instances: 9000,
  draw_calls: 300,
  megabytes: 96,
  texture: '1024',
};

describe('profiles', () => {
  it('of the scene follow those of Plough, in the same units', () => {
    const all = profilesOf(known, { profile: 'own-1', profiles: [own] });
    expect(all.map((p) => p.name)).toEqual(['phone', 'console', 'own-1']);
    expect(all[2]).toMatchObject({ title: 'Hand-held', bytes: 96e6, texture: 1024, triangles: 900_000 });
    expect(chosenProfile(known, { profile: 'own-1', profiles: [own] })?.title).toBe('Hand-held');
    expect(chosenProfile(known, { profile: 'gone', profiles: [] })).toBeUndefined();
  });

  it('begin as the one that is chosen, with an id of their own', () => {
    const fresh = freshProfile(known, { profile: 'phone', profiles: [own] });
    expect(fresh).toMatchObject({ id: 'own-2', like: 'phone', triangles: 4e5, megabytes: 48 });
    const second = freshProfile(known, { profile: 'own-1', profiles: [own] });
    expect(second).toMatchObject({ id: 'own-2', like: 'phone', texture: '1024', megabytes: 96 });
  });

  it('leave a scene that was made for them with what they were like', () => {
    expect(withoutProfile({ profile: 'own-1', profiles: [own] }, 'own-1')).toEqual({
      profile: 'phone',
      'profiles#own-1': null,
    });
    expect(withoutProfile({ profile: 'console', profiles: [own] }, 'own-1')).toEqual({ 'profiles#own-1': null });
  });
});
