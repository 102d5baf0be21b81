export { HandoffScreen as default } from '../../features/handoff/HandoffScreen';
