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

/** Failed tests of a Playwright report, and those that did not run because another had failed. */
export function failuresOfPlaywright(report) {
  const within = (suite, above) => {
    const names = [...above, suite.title].filter(Boolean);
    return [
      ...(suite.specs ?? []).flatMap((spec) =>
        spec.tests
          .filter((test) => test.status === 'unexpected' || test.status === 'skipped')
          .map((test) => ({
            name: [...names, spec.title].join(' › '),
            said:
              test.status === 'skipped'
                ? 'did not run'
                : first(test.results.flatMap((result) => result.errors.map((error) => error.message)).join('\n')),
          })),
      ),
      ...(suite.suites ?? []).flatMap((inner) => within(inner, names)),
    ];
  };
  return [
    ...report.suites.flatMap((suite) => within(suite, [])),
    ...report.errors.map((error) => ({ name: 'Browser tests', said: first(error.message) })),
  ];
}
