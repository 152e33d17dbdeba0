import type { Attachment } from 'svelte/attachments';

/** While `away`, an element is not in the page; what it holds goes on. It stands alone in its parent. */
export const absent =
  (away: boolean): Attachment<HTMLElement> =>
  (element) => {
    const parent = element.parentElement;
    if (!away || !parent) return;
    element.remove();
    return () => parent.append(element);
  };
