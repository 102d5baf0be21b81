const KEY = 'tawny.production';

/** Code of the production that this device had open last. */
export const lastProduction = (store: Pick<Storage, 'getItem'>): string | null => store.getItem(KEY);
export const keepLastProduction = (store: Pick<Storage, 'setItem'>, code: string): void => store.setItem(KEY, code);
