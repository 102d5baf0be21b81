const { getDefaultConfig } = require('expo/metro-config');

const config = getDefaultConfig(__dirname);

// The component library can draw fifteen icon sets; our few icons are drawings of our own. Half a megabyte that a phone need not parse.
const resolve = config.resolver.resolveRequest;
config.resolver.resolveRequest = (context, name, platform) =>
  /vector-icons\//.test(name) ? { type: 'empty' } : (resolve ?? context.resolveRequest)(context, name, platform);

// A module is run when something of it is first used: the day shows before what measuring and building need is looked at.
const options = config.transformer.getTransformOptions;
config.transformer.getTransformOptions = async (...args) => {
  const own = (await options?.(...args)) ?? {};
  return { ...own, transform: { ...own.transform, inlineRequires: true } };
};

module.exports = config;
