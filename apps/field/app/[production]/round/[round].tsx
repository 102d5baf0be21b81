export { RoundScreen as default } from '../../../features/round/RoundScreen';
