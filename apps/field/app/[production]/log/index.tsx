export { LogScreen as default } from '../../../features/log/LogScreen';
