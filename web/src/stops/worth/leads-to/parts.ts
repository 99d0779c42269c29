/** A label as a part of an opened figure, and the label again: what stands between parts may be in it. */
export const partOf = (label: string) => label.replaceAll('%', '%25').replaceAll('~', '%7E');
export const labelOf = (part: string) => part.replaceAll('%7E', '~').replaceAll('%25', '%');
