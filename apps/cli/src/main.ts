import { Command } from 'commander';
import { closeThreads } from '@tawny/pipeline';
import { say } from './output';
import { addAlign } from './verbs/align';
import { addCalibrate } from './verbs/calibrate';
import { addCharacter } from './verbs/character';
import { addColourMatch } from './verbs/colourMatch';
import { addBuild } from './verbs/build';
import { addCheck } from './verbs/check';
import { addGlare } from './verbs/glare';
import { addIlluminance } from './verbs/illuminance';
import { addInspect } from './verbs/inspect';
import { addMerge } from './verbs/merge';
import { addPatches } from './verbs/patches';
import { addPlateCamera } from './verbs/plateCamera';
import { addReproject } from './verbs/reproject';
import { addResponse } from './verbs/response';
import { addSimulate } from './verbs/simulate';
import { addSun } from './verbs/sun';
import { addSunTrack } from './verbs/sunTrack';
import { addUnwrapBall } from './verbs/unwrapBall';

const program = new Command('tawny')
  .description('on-set lighting data: panoramas, sun and calibration from the command line')
  .showHelpAfterError();
for (const add of [
  addSimulate,
  addBuild,
  addSun,
  addInspect,
  addAlign,
  addMerge,
  addResponse,
  addCheck,
  addGlare,
  addUnwrapBall,
  addPlateCamera,
  addSunTrack,
  addReproject,
  addPatches,
  addColourMatch,
  addCalibrate,
  addIlluminance,
  addCharacter,
])
  add(program);

program
  .parseAsync()
  .catch((error: unknown) => {
    // A fault of ours shows its stack; a problem with the input shows its message.
    const known = error instanceof RangeError || (error instanceof Error && error.name === 'FileProblem');
    say(
      known ? `tawny: ${(error as Error).message}` : `tawny: ${error instanceof Error ? error.stack : String(error)}`,
    );
    process.exitCode = 1;
  })
  .finally(closeThreads);
