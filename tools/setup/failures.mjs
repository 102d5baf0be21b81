// What failed in a run of every suite, said together at its end: what came between would hide it.
import { stripVTControlCharacters } from 'node:util';

const LINES = 25;

/** The first lines of what a failure says, without colours. */
function first(text) {
  return stripVTControlCharacters(String(text ?? ''))
    .split('\n')
    .slice(0, LINES)
    .join('\n');
}

/** Failed tests of a Jest report: name and what each says. */
export function failuresOfJest(report) {
  return report.testResults.flatMap((suite) => {
    const failed = suite.assertionResults.filter((test) => test.status === 'failed');
    if (failed.length === 0 && suite.status === 'failed') return [{ name: suite.name, said: first(suite.message) }];
    return failed.map((test) => ({ name: test.fullName, said: first(test.failureMessages.join('\n')) }));
  });
}

const namesOf = (above, suite) => [...above, suite.title].filter(Boolean);

/** Tests of a Playwright report that ended in one of some ways, with what is said of each. */
function ofPlaywright(suite, above, told) {
  const names = namesOf(above, suite);
  return [
    ...(suite.specs ?? []).flatMap((spec) =>
      spec.tests.flatMap((test) => {
        const said = told(test);
        return said === null ? [] : [{ name: [...names, spec.title].join(' › '), said }];
      }),
    ),
    ...(suite.suites ?? []).flatMap((inner) => ofPlaywright(inner, names, told)),
  ];
}

const errorsOf = (test) =>
  first(test.results.flatMap((result) => result.errors.map((error) => error.message)).join('\n'));

/** Failed tests of a Playwright report, and those that did not run because another had failed. */
export function failuresOfPlaywright(report) {
  const told = (test) =>
    test.status === 'unexpected' ? errorsOf(test) : test.status === 'skipped' ? 'did not run' : null;
  return [
    ...report.suites.flatMap((suite) => ofPlaywright(suite, [], told)),
    ...report.errors.map((error) => ({ name: 'Browser tests', said: first(error.message) })),
  ];
}

/** Tests of a Playwright report that passed at the second try only, with what failed at the first. */
export const unsteadyOfPlaywright = (report) =>
  report.suites.flatMap((suite) =>
    ofPlaywright(suite, [], (test) => (test.status === 'flaky' ? errorsOf(test) : null)),
  );
