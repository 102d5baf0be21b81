import { openInstallation, type Installation } from '../installation';

/** An installation of the trial's own, looked after as a real one is; a kill is nobody's bad start, so it is started again at once. */
export const openTrial = (name: string, files?: string): Promise<Installation> =>
  openInstallation(name, {
    durable: true,
    files,
    watched: true,
    logLevel: process.env.TAWNY_TRIAL_LOG ?? 'silent',
    say: () => undefined,
    patience: { firstMs: 500, longestMs: 500, wellMs: 0 },
  });
