/** What a page that opens will surely ask for is asked while its scripts are still read. */

const held = new Map<string, Promise<Response>>();
const KEPT = 15_000; // milliseconds; later, an answer may be old

/** Ask for these paths now; each answer serves the first that asks for it. */
export function askAhead(paths: string[]) {
  for (const path of paths) {
    const coming = fetch(path);
    coming.catch(() => null); // it is asked again
    held.set(path, coming);
  }
  setTimeout(() => held.clear(), KEPT);
}

/** `fetch`, or the answer to what was asked ahead, if that is a good one. */
export async function answered(request: Request): Promise<Response> {
  const path = request.url.replace(location.origin, '');
  if (request.method !== 'GET') return fetch(request);
  const coming = held.get(path);
  held.delete(path); // its body is read once
  const answer = await coming?.catch(() => null);
  return answer?.ok ? answer : fetch(request);
}
