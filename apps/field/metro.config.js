const { getDefaultConfig } = require('expo/metro-config');

const config = getDefaultConfig(__dirname);

// What a phone need not parse: fifteen icon sets of the component library (our few icons are drawings of our own), and the words of refusals in
// fifty languages.
const UNUSED = [/vector-icons\//, /^\.\.\/locales\/index\.(js|cjs)$/];
const resolve = config.resolver.resolveRequest;
config.resolver.resolveRequest = (context, name, platform) =>
  UNUSED.some((unused) => unused.test(name))
    ? { type: 'empty' }
    : (resolve ?? context.resolveRequest)(context, name, platform);

// A module is run when something of it is first used: the day shows before what measuring and building need is looked at.
const options = config.transformer.getTransformOptions;
config.transformer.getTransformOptions = async (...args) => {
  const own = (await options?.(...args)) ?? {};
  return { ...own, transform: { ...own.transform, inlineRequires: true } };
};

config.transformer.minifierPath = require.resolve('./metro.minify.js');

module.exports = config;
