/** A process that is looked after: its number is that of now. */
interface Watched {
  readonly pid: number;
}

/** See `tools/setup/installation.mjs`. */
export interface Installation {
  base: string;
  services: { server: Watched; worker: Watched };
  databaseUrl: string;
  /** Folder of its database. */
  folder: string;
  filesFolder: string;
  stop: () => Promise<void>;
}

interface Options {
  durable?: boolean;
  files?: string;
  watched?: boolean;
  webFolder?: string;
  logLevel?: string;
  say?: (text: string) => void;
  patience?: { firstMs: number; longestMs: number; wellMs: number };
}

/** The set-up scripts are no TypeScript: this is where they get their types. */
export async function openInstallation(name: string, options: Options = {}): Promise<Installation> {
  const setup = (await import('./setup/installation.mjs' as string)) as {
    openInstallation: (name: string, options: Options) => Promise<Installation>;
  };
  return setup.openInstallation(name, options);
}

/** The built interface, built when its sources changed. */
export async function builtInterface(): Promise<string> {
  const { ensureWeb, webFolder } = (await import('./setup/web.mjs' as string)) as {
    ensureWeb: () => void;
    webFolder: string;
  };
  ensureWeb();
  return webFolder;
}
