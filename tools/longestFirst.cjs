// Which unit tests begin first: those that take longest, or one of them is left for last and a core stands idle meanwhile.
const Sequencer = require('@jest/test-sequencer').default;

const LONG = [
  /pipeline\/tests\/(build|verdicts)\./,
  /apps\/cli\//,
  /tools\/imports\./,
  /simset\//,
  /proposePicks\./,
  /apps\/field\//,
];
const rank = ({ path }) => {
  const at = LONG.findIndex((long) => long.test(path.replaceAll('\\', '/')));
  return at < 0 ? LONG.length : at;
};

module.exports = class extends Sequencer {
  sort(tests) {
    return super.sort(tests).sort((a, b) => rank(a) - rank(b));
  }
};
