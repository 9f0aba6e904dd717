/** One of the small maps, once it is painted. */
import { useEffect, useRef } from "react";

export function SmallPicture(props: { picture: ImageData | undefined; width: number; height: number }) {
  const { picture, width, height } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (!picture || !canvas.current) return;
    [canvas.current.width, canvas.current.height] = [picture.width, picture.height];
    canvas.current.getContext("2d")!.putImageData(picture, 0, 0);
  }, [picture]);
  return <canvas ref={canvas} style={{ width, height, flexShrink: 0 }} />;
}
