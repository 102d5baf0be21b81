export * from './random';
export * from './scene/scene';
export * from './scene/quay';
export * from './render/adaptive';
export * from './render/sunDisc';
export * from './camera/fisheye';
export * from './camera/sensor';
