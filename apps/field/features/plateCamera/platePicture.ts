import { useEffect, useState } from 'react';
import type { Brightness } from '@tawny/core';
import { fileAddress } from '../../data/api';

/** A plate's display picture, and its brightness for finding edges. */
export interface PlatePicture {
  bitmap: ImageBitmap;
  brightness: Brightness;
}

async function read(production: string, id: string): Promise<PlatePicture> {
  const answer = await fetch(fileAddress('plates.preview', { production, id }));
  if (!answer.ok) throw new Error(`The plate could not be read (${answer.status})`);
  const bitmap = await createImageBitmap(await answer.blob());
  const { width, height } = bitmap;
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [width, height];
  const context = canvas.getContext('2d');
  if (!context) throw new Error('This browser gives no canvas to look at the plate with');
  context.drawImage(bitmap, 0, 0);
  const { data } = context.getImageData(0, 0, width, height);
  const brightness = new Float32Array(width * height);
  for (let i = 0; i < brightness.length; i++)
    brightness[i] = 0.2126 * data[4 * i] + 0.7152 * data[4 * i + 1] + 0.0722 * data[4 * i + 2];
  return { bitmap, brightness: { widthPx: width, heightPx: height, data: brightness } };
}

/** Loads a plate's display picture once. */
export function usePlatePicture(production: string, id: string): { picture: PlatePicture | null; error: Error | null } {
  const [state, setState] = useState<{ picture: PlatePicture | null; error: Error | null }>({
    picture: null,
    error: null,
  });
  useEffect(() => {
    let gone = false;
    setState({ picture: null, error: null });
    read(production, id).then(
      (picture) => !gone && setState({ picture, error: null }),
      (error: Error) => !gone && setState({ picture: null, error }),
    );
    return () => {
      gone = true;
    };
  }, [production, id]);
  return state;
}
