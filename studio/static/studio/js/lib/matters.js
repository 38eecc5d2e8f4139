// Whether a setting means something, by what those beside it are.

/**
 * @param {object} setting as the catalogue tells it
 * @param {object[]} all the settings beside it
 * @param {(name: string) => unknown} valueOf what one of them is, undefined if it is as it begins
 */
export function matters(setting, all, valueOf) {
  return Object.entries(setting.only_if).every(([name, values]) => {
    const value = valueOf(name) ?? all.find((one) => one.name === name).default;
    const isChosen = Array.isArray(value) ? value.length > 0 : value !== null;
    return values.includes(value) || (values.includes("chosen") && isChosen);
  });
}
