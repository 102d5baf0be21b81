import type { Production, Right } from '@tawny/contract';

export interface User {
  name: string;
}

/** The one user until accounts exist. */
export const LOCAL_USER: User = { name: 'local' };

/** The single place that decides who may do what in a production. Today: the local user may do everything. */
export function mayDo(user: User | null, _right: Right, _production: Production): boolean {
  return user === LOCAL_USER;
}
