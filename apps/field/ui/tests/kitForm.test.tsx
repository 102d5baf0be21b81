import { fireEvent, screen } from '@testing-library/react-native';
import type { CameraBody, PanoramaRig } from '@tawny/contract';
import { KitForm } from '../../features/kit/KitForm';
import { KIT, type KitItem } from '../../features/kit/kitFields';
import { show } from './themed';

const mockSave = jest.fn();
const mockRemove = jest.fn();
const mockState = { error: null as Error | null };
jest.mock('../../data/queries', () => ({
  useSave: () => ({ mutate: mockSave, isPending: false, error: mockState.error }),
  useRemove: () => ({ remove: mockRemove, error: null }),
  useBodies: () => ({ data: [] }),
  useLenses: () => ({ data: [] }),
  useJob: () => ({ data: undefined }),
  useProductionCode: () => 'HERN',
}));

beforeEach(() => {
  jest.clearAllMocks();
  mockState.error = null;
});

const kindOf = (path: string) => KIT.find((k) => k.path === path)!;
function draw(path: string, item: KitItem = kindOf(path).fresh('')) {
  const closed = jest.fn();
  show(<KitForm kind={kindOf(path)} start={item} onClose={closed} />);
  return closed;
}
const type = (label: string, text: string) => {
  const field = screen.getByLabelText(label);
  fireEvent.changeText(field, text);
  fireEvent(field, 'blur');
};
const canSave = () => !screen.getByRole('button', { name: 'Save' }).props.accessibilityState?.disabled;
const saved = () => mockSave.mock.lastCall![0].record as Record<string, unknown>;

describe('a new piece of kit', () => {
  test('a body is saved once its owner has said what only its owner knows', () => {
    draw('bodies');
    type('Name', 'Corrie 35');
    expect(screen.getByText('To be stated before it can be saved: 6 of its figures.')).toBeTruthy();
    expect(canSave()).toBe(false);
    // What is not said yet cannot be copied into a second format either.
    fireEvent.press(screen.getByText('Another format'));
    expect(screen.getAllByLabelText('Window width in mm')).toHaveLength(1);
    const figures = [
      ['Base EI', '800'],
      ['Window width in mm', '25,1'],
      ['Window height in mm', '14'],
      ['Recorded width in px', '1920'],
      ['Recorded height in px', '1080'],
    ];
    for (const [label, text] of figures) {
      expect(screen.getByLabelText(label).props.value).toBe('');
      type(label, text);
    }
    expect(screen.getByText('To be stated before it can be saved: 1 of its figures.')).toBeTruthy();
    expect(canSave()).toBe(false);
    // A step takes the figure to begin with.
    fireEvent.press(screen.getByLabelText('Runs to up'));
    expect(screen.queryByText(/To be stated/)).toBeNull();
    fireEvent.press(screen.getByText('Save'));
    expect(saved()).toMatchObject({
      name: 'Corrie 35',
      baseEi: 800,
      formats: [{ name: 'Full', gateWidthMm: 25.1, gateHeightMm: 14, widthPx: 1920, heightPx: 1080, maxFps: 60 }],
    });
  });
  test('a second format is a copy of the one before, and may go again', () => {
    const body = { ...kindOf('bodies').fresh('Corrie 35'), version: 2 } as unknown as CameraBody;
    draw('bodies', body);
    fireEvent.press(screen.getByText('Another format'));
    expect(screen.getAllByLabelText('Window width in mm').map((f) => f.props.value)).toEqual(['24.89', '24.89']);
    fireEvent.press(screen.getByText('Without Full'));
    fireEvent.press(screen.getByText('Save'));
    expect((saved().formats as { name: string }[]).map((f) => f.name)).toEqual(['Format 2']);
  });
  test('a lens that cannot be is told at its field; what it reaches is shown when all of it was said', () => {
    draw('lenses');
    type('Name', 'Skerry zoom 18-40');
    fireEvent.press(screen.getByLabelText('Zoom'));
    type('Focal length from in mm', '40');
    type('Focal length to in mm', '18');
    expect(screen.getByText('The longest focal length is shorter than the shortest')).toBeTruthy();
    expect(screen.queryByText('On the formats of the kit')).toBeNull();
    type('Focal length to in mm', '70');
    type('Widest stop in T', '2.9');
    type('Smallest stop in T', '22');
    expect(canSave()).toBe(false);
    type('Close focus in m', '0.9');
    expect(screen.getByText('On the formats of the kit')).toBeTruthy();
    fireEvent.press(screen.getByText('Save'));
    expect(saved()).toMatchObject({ kind: 'zoom', focalMinMm: 40, focalMaxMm: 70, tMin: 2.9, closeFocusM: 0.9 });
  });
  test('a date that was left empty is none, and a filter has the density of its engraving until it is measured', () => {
    draw('filters');
    type('Name', 'ND 0.9');
    type('Density', '0.9');
    fireEvent.changeText(screen.getByLabelText('Measured on (YYYY-MM-DD)'), '');
    fireEvent.press(screen.getByText('Enter the measured density'));
    fireEvent.press(screen.getByLabelText('Density, green up'));
    fireEvent.press(screen.getByText('Save'));
    expect(saved()).toMatchObject({ density: 0.9, measuredDensity: [0.9, 0.91, 0.9], measuredOn: null });
  });
});

describe('a piece of kit that is there', () => {
  const rig: PanoramaRig = {
    ...(kindOf('rigs').fresh('Fathom 360') as PanoramaRig),
    version: 4,
    createdAt: '',
    updatedAt: '',
  };
  test('is asked for nothing again, is saved with its version and closed when it was', () => {
    const closed = draw('rigs', rig);
    expect(screen.queryByText(/To be stated/)).toBeNull();
    fireEvent.press(screen.getByLabelText('ND on the rig up'));
    fireEvent.press(screen.getByText('Save'));
    expect(saved()).toMatchObject({ version: 4, statement: { projection: 'latlong', ndStops: 1 } });
    mockSave.mock.lastCall![1].onSuccess();
    expect(closed).toHaveBeenCalledTimes(1);
  });
  test('what measurements told of it stays when something else of it is changed', () => {
    const sensitivity = { stops: 0.1, uncertaintyStops: 0.05, measuredOn: '2026-10-14' };
    draw('rigs', { ...rig, statement: { ...rig.statement, sensitivity } } as KitItem);
    fireEvent.press(screen.getByLabelText('Views up'));
    fireEvent.press(screen.getByText('Save'));
    expect(saved()).toMatchObject({ statement: { views: 2, sensitivity } });
  });
  test('can be removed by its version; one that is new cannot', () => {
    draw('rigs', rig);
    fireEvent.press(screen.getByText('Remove'));
    expect(mockRemove.mock.lastCall![0]).toEqual({ id: rig.id, version: 4 });
    screen.unmount();
    draw('rigs');
    expect(screen.queryByText('Remove')).toBeNull();
  });
  test('a refusal of the server stands in the form, which stays open', () => {
    mockState.error = new Error('Somebody else changed it meanwhile');
    const closed = draw('rigs', rig);
    expect(screen.getByText('Not saved')).toBeTruthy();
    expect(screen.getByText('Somebody else changed it meanwhile')).toBeTruthy();
    expect(closed).not.toHaveBeenCalled();
  });
});
