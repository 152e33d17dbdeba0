/** How Flowbite's parts look here: sizes and shapes. Their colours are Plough's, since app.css maps Tailwind's palette to the tokens. */
import type { ThemeConfig } from 'flowbite-svelte';

export const theme: ThemeConfig = {
  alert: { base: 'rounded border border-clay bg-transparent px-2.5 py-1.5 text-[13px] text-clay' },
  avatar: 'border-paper text-[10.5px] font-semibold uppercase',
  badge: { base: 'rounded-full bg-slate-tint px-2 py-0 text-[12px] font-normal text-slate' },
  breadcrumb: { list: 'space-x-0 md:space-x-0' },
  breadcrumbItem: { base: 'ms-0 min-h-6 text-[12.5px] font-normal text-soft md:ms-0', separator: 'mx-1 size-3.5' },
  button: {
    base: 'min-h-[30px] gap-1.5 px-2.5 py-[4px] text-[12.5px] leading-[1.4] whitespace-nowrap focus-within:ring-0',
  },
  buttonToggle: { button: 'min-h-[26px] px-3 py-0.5 border-edge text-[12.5px]' },
  checkbox: { div: 'gap-2 text-[13px] font-normal text-ink', base: 'me-0' },
  fileupload: { base: 'text-[12.5px]' },
  input: { input: 'rounded-[5px] px-[7px] py-[3px] text-[12.5px]' },
  kbd: 'min-w-[18px] rounded bg-plate px-1.5 py-0 text-center text-[11px]',
  label: 'text-[13px] font-normal text-ink',
  modal: {
    base: 'rounded-md bg-leaf text-ink',
    header: 'border-line p-4 font-serif',
    body: 'gap-4 p-4',
    close: 'top-3',
  },
  progressbar: { base: 'h-2 bg-paper' },
  radio: { label: 'text-[13px] font-normal' },
  search: { input: 'rounded-[5px] py-[4px] ps-8 pe-2 text-[12.5px]', left: 'ps-2.5' },
  select: { base: 'w-auto', select: 'rounded-[5px] py-[3px] ps-2 pe-7 text-[12.5px]' },
  tabs: { base: 'space-x-0', content: 'mt-0 bg-transparent p-0' },
  tabItem: {
    button: 'min-h-[25px] w-full rounded-none border-b-2 px-0 py-0 font-serif text-[12px] font-semibold',
  },
  toast: {
    base: 'max-w-none items-start border border-line bg-leaf px-3 py-2 text-ink shadow-md',
    content: 'text-[13px]',
  },
  toolbarButton: 'm-0 rounded p-1 text-soft hover:bg-transparent hover:text-ink focus:ring-0',
};
