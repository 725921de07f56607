// Finding what the bench's page holds.

export const one = (selector) => document.querySelector(selector);
export const act = (name) => one(`[data-act=${name}]`);
