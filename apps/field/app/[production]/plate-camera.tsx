export { PlateCameraScreen as default } from '../../features/plateCamera/PlateCameraScreen';
