export { SightScreen as default } from '../../features/sight/SightScreen';
