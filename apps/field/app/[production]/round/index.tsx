export { RoundsScreen as default } from '../../../features/round/RoundsScreen';
