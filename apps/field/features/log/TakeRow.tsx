import { memo, type RefObject } from 'react';
import { Pressable, TextInput, View } from 'react-native';
import type { Take } from '@tawny/contract';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { FONT, SPACE } from '../../ui/tokens';
import type { TakeColumn } from './takeColumns';

/** Height of a row, pixels. */
export const ROW = 44;

/** What the cells of a row do; kept in a box that never changes, so that scrolling draws only rows that come into sight. */
export interface RowActions {
  press: (row: number, column: number) => void;
  edit: (column: TakeColumn, take: Take) => void;
  text: (text: string) => void;
  commit: (text: string) => void;
  cancel: () => void;
}

interface TakeRowProps {
  take: Take;
  columns: readonly TakeColumn[];
  index: number;
  top: number;
  width: number;
  /** Column of the active cell; -1 when it is in another row. */
  active: number;
  editing: string | null;
  selectAll: boolean;
  actions: RefObject<RowActions>;
}

/** One take of the table; its active cell may be edited. */
export const TakeRow = memo(function TakeRow({
  take,
  columns,
  index,
  top,
  width,
  active,
  editing,
  selectAll,
  actions,
}: TakeRowProps) {
  const { palette } = useTheme();
  return (
    <View
      role="row"
      aria-rowindex={index + 1}
      style={{
        position: 'absolute',
        top,
        left: 0,
        width,
        height: ROW,
        flexDirection: 'row',
        alignItems: 'center',
        paddingHorizontal: SPACE(3),
        borderBottomWidth: 1,
        borderColor: palette.hairline,
      }}
    >
      {columns.map((c, k) => (
        <Cell
          key={c.id}
          column={c}
          take={take}
          active={active === k}
          editing={active === k ? editing : null}
          selectAll={selectAll}
          onPress={() => actions.current.press(index, k)}
          onEdit={() => actions.current.edit(c, take)}
          onText={(t) => actions.current.text(t)}
          onCommit={(t) => actions.current.commit(t)}
          onCancel={() => actions.current.cancel()}
        />
      ))}
    </View>
  );
});

interface CellProps {
  column: TakeColumn;
  take: Take;
  active: boolean;
  editing: string | null;
  selectAll: boolean;
  onPress: () => void;
  onEdit: () => void;
  onText: (text: string) => void;
  onCommit: (text: string) => void;
  onCancel: () => void;
}

function Cell({ column, take, active, editing, selectAll, onPress, onEdit, onText, onCommit, onCancel }: CellProps) {
  const { palette } = useTheme();
  const tone =
    column.id === 'status'
      ? { circled: palette.tide, good: palette.ink, ng: palette.madder, wild: palette.ochre }[take.status]
      : palette.ink;
  if (editing !== null) {
    return (
      <TextInput
        autoFocus
        // At once, not after a tick: who types quickly replaces the old value.
        onFocus={(e) => {
          if (selectAll) (e.target as unknown as HTMLInputElement).select();
        }}
        aria-label={`${column.title} of ${take.slate} / ${take.take}`}
        value={editing}
        onChangeText={onText}
        onBlur={() => onCommit(editing)}
        onSubmitEditing={() => onCommit(editing)}
        onKeyPress={(e) => {
          if (e.nativeEvent.key === 'Escape') onCancel();
        }}
        style={{
          width: column.width - 4,
          height: ROW - 8,
          borderWidth: 2,
          borderColor: palette.tawny,
          borderRadius: 3,
          paddingHorizontal: 4,
          fontFamily: FONT.number,
          fontSize: 15,
          color: palette.ink,
          backgroundColor: palette.ground,
        }}
      />
    );
  }
  return (
    <Pressable
      role={'gridcell' as 'cell'}
      aria-selected={active}
      onPress={() => (active ? onEdit() : onPress())}
      style={
        {
          width: column.width,
          height: ROW,
          justifyContent: 'center',
          outlineWidth: active ? 2 : 0,
          outlineColor: palette.ink,
          outlineStyle: 'solid',
          outlineOffset: -3,
        } as object
      }
    >
      <Text size="body" lines={1} style={{ fontFamily: FONT.number, color: tone, paddingHorizontal: 4 }}>
        {column.show(take)}
      </Text>
    </Pressable>
  );
}
