/** Every string that all leaves share, by the file that shows it. */
export const words = {
  leaf: {
    command: "command",
  },
};
