export { PlaceScreen as default } from '../../features/day/PlaceScreen';
