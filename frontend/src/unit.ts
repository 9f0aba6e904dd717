/** How large the reader's text is: 1 for the usual size, 2 where it is set to 200 %. Fixed sizes are multiplied by it. */
export const unit: number =
  typeof document === "undefined"
    ? 1
    : (Number.parseFloat(getComputedStyle(document.documentElement).fontSize) || 16) / 16;
