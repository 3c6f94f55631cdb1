// Tiles of a large picture, kept once they are there.

const MOST = 600;
const TIMES = 5;

// Whether a picture can be drawn.
export const ready = (image) => image.complete && image.naturalWidth > 0;

// A function that gives the picture at an address, ready or on its way. came: called whenever another one is ready. One
// that does not come, as when the server is busy, is asked for a few times more.
export function kept(came) {
  const tiles = new Map();
  const failed = new Map();

  const again = (address, image) => {
    const times = (failed.get(address) ?? 0) + 1;
    failed.set(address, times);
    if (times > TIMES) return;
    setTimeout(() => {
      if (tiles.get(address) === image) tiles.delete(address);
      came();
    }, 500 * 2 ** times);
  };

  const begun = (address) => {
    const image = new Image();
    image.decoding = "async";
    image.addEventListener("load", came);
    image.addEventListener("error", () => again(address, image));
    image.src = address;
    if (tiles.size > MOST) tiles.delete(tiles.keys().next().value);
    return image;
  };

  return (address) => {
    const image = tiles.get(address) ?? begun(address);
    // The one that was asked for last is let go last.
    tiles.delete(address);
    tiles.set(address, image);
    return image;
  };
}
