// The thread pool asks whether its messages are instances of Object; inside Jest's sandbox that is another Object. So the pool is loaded outside of it.
const { TestEnvironment } = require('jest-environment-node');

module.exports = class extends TestEnvironment {
  constructor(config, context) {
    super(config, context);
    this.global.outerPiscina = require('piscina');
  }
};
