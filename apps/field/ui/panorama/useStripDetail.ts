import { useEffect, type RefObject } from 'react';
import type { Panorama } from '@tawny/contract';
import { PANORAMA_TILE } from '@tawny/contract/results';
import { fileAddress } from '../../data/api';
import { parseFloatPicture } from './floatPicture';
import type { ValueStore } from '../valueStore';
import type { StripRenderer } from './stripRenderer';
import { tilesInView, type StripView } from './stripView';

/** The overview's width: closer than it resolves, tiles of the full panorama are fetched. */
const OVERVIEW_PX = 2048;
const SETTLE_MS = 250;
const AT_ONCE = 12;

interface Detail {
  renderer: RefObject<StripRenderer | null>;
  code: string;
  panorama: Panorama;
  view: ValueStore<StripView>;
  yawDeg: number;
  width: number;
  height: number;
  /** Screen pixels a CSS pixel. */
  ratio: number;
  /** False until the overview is on the screen. */
  ready: boolean;
  onLoaded: () => void;
}

/** Once the view holds still, fetches the tiles of the full panorama that it shows, where the overview would be soft. */
export function useStripDetail({
  renderer,
  code,
  panorama,
  view,
  yawDeg,
  width,
  height,
  ratio,
  ready,
  onLoaded,
}: Detail): void {
  useEffect(() => {
    if (!ready || width === 0 || panorama.widthPx <= OVERVIEW_PX) return undefined;
    let abort: AbortController | null = null;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const [columns, rows] = [panorama.widthPx / PANORAMA_TILE, panorama.heightPx / (PANORAMA_TILE / 2)];
    const fetchMissing = () => {
      const { signal } = (abort = new AbortController());
      const missing = tilesInView(view.get(), yawDeg, width, height, columns, rows).filter(
        (t) => !renderer.current?.hasTile(t),
      );
      if (missing.length > AT_ONCE) return;
      for (const tile of missing) {
        fetch(
          fileAddress('panoramas.tile', { production: code, id: panorama.id, column: tile.column, row: tile.row }),
          { signal },
        )
          .then(async (response) => {
            if (!response.ok) throw new Error(`the server answered ${response.status}`);
            renderer.current?.loadTile(tile, columns, rows, parseFloatPicture(await response.arrayBuffer()));
            onLoaded();
          })
          .catch((e: Error) => {
            // The overview stays; a view that moved on has no use for the tile.
            if (e.name !== 'AbortError') console.warn(`a tile of the panorama could not be read: ${e.message}`);
          });
      }
    };
    const settle = () => {
      clearTimeout(timer);
      abort?.abort();
      const wanted = (width * ratio) / view.get().spanDeg;
      if (wanted >= OVERVIEW_PX / 360) timer = setTimeout(fetchMissing, SETTLE_MS);
    };
    settle();
    const stop = view.subscribe(settle);
    return () => {
      stop();
      clearTimeout(timer);
      abort?.abort();
    };
  }, [view, yawDeg, width, height, ratio, ready, panorama.id]);
}
