export { SetupScreen as default } from '../../../features/day/SetupScreen';
