/** The name itself, or with the first number behind it that nothing has taken. */
export function freeName(base: string, isTaken: (name: string) => boolean): string {
  let name = base
  for (let n = 2; isTaken(name); n++) name = `${base}_${n}`
  return name
}
