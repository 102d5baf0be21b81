export { ExchangeScreen as default } from '../../../features/log/ExchangeScreen';
