/** Have the browser save what an address gives: for actions of a list, in which a link has no place. */
export function saveFile(address: string) {
  const link = document.createElement('a')
  link.href = address
  link.download = ''
  link.click()
}
