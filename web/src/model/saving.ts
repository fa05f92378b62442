/** How long an address of a file is kept for the browser to save it, ms. */
const kept = 10_000;

/** take downloads what the server gives at an address. */
export function take(address: string) {
  const link = document.createElement("a");
  link.href = address;
  link.download = "";
  link.click();
}

/** save offers a file to the person, to be saved under a name. */
export function save(name: string, data: Blob) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(data);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), kept);
}
