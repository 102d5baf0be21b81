export { TakeScreen as default } from '../../../features/log/TakeScreen';
