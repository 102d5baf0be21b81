const path = require('node:path');
const { pathToFileURL } = require('node:url');
const { TestEnvironment } = require('jest-environment-node');

const SETUP = pathToFileURL(path.join(__dirname, '../../../../tools/setup/program.mjs')).href;

module.exports = class extends TestEnvironment {
  async setup() {
    await super.setup();
    // The thread pool asks whether its messages are instances of Object; inside Jest's sandbox that is another Object. So the pool is loaded outside of it.
    const { Piscina } = require('piscina');
    // Its threads run the program, as they do for everybody: the sources, file by file, take ten times as long to start.
    const { programs } = await import(SETUP);
    const filename = path.join(programs(), 'bootstrap.mjs');
    this.global.outerPiscina = {
      Piscina: class extends Piscina {
        constructor(options) {
          super({ ...options, filename });
        }
      },
    };
  }
};
