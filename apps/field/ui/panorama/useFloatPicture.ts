import { useQuery } from '@tanstack/react-query';
import type { Panorama } from '@tawny/contract';
import { fileAddress } from '../../data/api';
import { useProductionCode } from '../../data/queries';
import { parseFloatPicture, typicalLuminance } from './floatPicture';

/** A panorama's float picture and the luminance that exposure 0 puts at mid grey; kept for a minute after the last screen that shows it. */
export function useFloatPicture(panorama: Panorama) {
  const code = useProductionCode();
  return useQuery({
    queryKey: [code, 'float', panorama.id],
    staleTime: Infinity,
    gcTime: 60000,
    queryFn: async () => {
      const response = await fetch(fileAddress('panoramas.float', { production: code, id: panorama.id }));
      if (!response.ok) throw new Error(`The panorama picture could not be read (${response.status})`);
      const parsed = parseFloatPicture(await response.arrayBuffer());
      return { picture: parsed, typical: typicalLuminance(parsed, panorama.space) };
    },
  });
}
