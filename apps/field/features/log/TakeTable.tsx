import Input from '@rneui/themed/dist/Input';
import {
  getCoreRowModel,
  getExpandedRowModel,
  getFilteredRowModel,
  getGroupedRowModel,
  getSortedRowModel,
  useReactTable,
  type ColumnDef,
  type GroupingState,
  type SortingState,
} from '@tanstack/react-table';
import { useVirtualizer } from '@tanstack/react-virtual';
import { router } from 'expo-router';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Pressable, View } from 'react-native';
import type { Take } from '@tawny/contract';
import { takeFaults, takeTimeFrom } from '@tawny/contract/takeRules';
import { useProductionCode, useSave } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { RADIUS, SPACE } from '../../ui/tokens';
import { ROW, TakeRow, type RowActions } from './TakeRow';
import { takeColumns, type ColumnContext } from './takeColumns';

const TALLEST = 520;

interface TakeTableProps extends ColumnContext {
  takes: readonly Take[];
  /** There are older ones than these, to be asked for. */
  more: boolean;
  onMore: () => void;
  setupId: string;
}

/** Older takes are asked for when so many rows are left below. */
const AHEAD = 100;

/** The takes as a table that is sorted, filtered, put together and edited in place from the keyboard: arrows move, Enter edits, Ctrl D copies down, n is the next take. */
export function TakeTable({ takes, more, onMore, setupId, location, bodies, lenses, round }: TakeTableProps) {
  const { palette } = useTheme();
  const code = useProductionCode();
  const save = useSave<Take>('takes');
  const scroller = useRef<View>(null);
  const [sorting, setSorting] = useState<SortingState>([]);
  const [grouping, setGrouping] = useState<GroupingState>([]);
  const [filter, setFilter] = useState('');
  const [at, setAt] = useState({ row: 0, column: 0 });
  const [editing, setEditing] = useState<string | null>(null);
  const [selectAll, setSelectAll] = useState(true);
  const [wrong, setWrong] = useState<string | null>(null);
  const columns = useMemo(() => takeColumns({ location, bodies, lenses, round }), [location, bodies, lenses, round]);
  const defs = useMemo<ColumnDef<Take>[]>(
    () =>
      columns.map((c) => ({
        id: c.id,
        accessorFn: c.sort,
        getGroupingValue: (t) => (c.id === 'slate' ? t.slate : c.show(t)),
        filterFn: 'auto',
      })),
    [columns],
  );
  // What a take says is put together once, however many more come.
  const textOf = useMemo(() => {
    const known = new WeakMap<Take, string>();
    return (t: Take) => {
      const text =
        known.get(t) ??
        columns
          .map((c) => c.show(t))
          .join(' ')
          .toLowerCase();
      known.set(t, text);
      return text;
    };
  }, [columns]);
  const data = useMemo(() => {
    const words = filter.trim().toLowerCase().split(/\s+/).filter(Boolean);
    return words.length === 0 ? [...takes] : takes.filter((t) => words.every((w) => textOf(t).includes(w)));
  }, [takes, filter, textOf]);
  const table = useReactTable({
    data,
    columns: defs,
    state: { sorting, grouping, expanded: true },
    onSortingChange: setSorting,
    onGroupingChange: setGrouping,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
    getFilteredRowModel: getFilteredRowModel(),
    getGroupedRowModel: getGroupedRowModel(),
    getExpandedRowModel: getExpandedRowModel(),
    autoResetExpanded: false,
    getRowId: (t) => t.id,
  });
  const rows = table.getRowModel().rows;
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current as unknown as HTMLElement | null,
    estimateSize: () => ROW,
    overscan: 24,
  });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  // What is put in another order or looked through is wanted whole.
  const whole = sorting.length > 0 || grouping.length > 0 || filter.trim() !== '';
  useEffect(() => {
    if (more && (whole || last > rows.length - AHEAD)) onMore();
  });
  const width = columns.reduce((s, c) => s + c.width, 0) + 2 * SPACE(3);

  const takeAt = (row: number): Take | null => (rows[row] && !rows[row].getIsGrouped() ? rows[row].original : null);
  const store = (take: Take, part: Partial<Take>) => {
    const next = { ...take, ...part };
    const body = bodies.find((b) => b.id === next.bodyId)!;
    const lens = lenses.find((l) => l.id === next.lensId)!;
    const faults = takeFaults(next, body, lens);
    if (faults.length > 0) {
      setWrong(faults.map((f) => f.message).join('. '));
      return;
    }
    setWrong(null);
    save.mutate({ record: take, change: part });
  };
  const commit = (text: string) => {
    const take = takeAt(at.row);
    const column = columns[at.column];
    setEditing(null);
    (scroller.current as unknown as HTMLElement | null)?.focus();
    if (!take || !column.edit || text === column.edit.text(take)) return;
    const part = column.edit.parse(text);
    if (typeof part === 'string') setWrong(part);
    else store(take, part);
  };
  const move = (row: number, column: number) => {
    const next = {
      row: Math.max(0, Math.min(rows.length - 1, row)),
      column: Math.max(0, Math.min(columns.length - 1, column)),
    };
    setAt(next);
    virtual.scrollToIndex(next.row);
  };
  const keys = (e: { key: string; ctrlKey: boolean; metaKey: boolean; preventDefault: () => void }) => {
    if (editing !== null) return;
    const take = takeAt(at.row);
    const column = columns[at.column];
    const step: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
      PageUp: [-10, 0],
      PageDown: [10, 0],
    };
    if (step[e.key]) move(at.row + step[e.key][0], at.column + step[e.key][1]);
    else if (e.key === 'Enter' && take && column.edit) {
      setSelectAll(true);
      setEditing(column.edit.text(take));
    } else if (/^[\d.,-]$/.test(e.key) && !e.ctrlKey && !e.metaKey && take && column.edit) {
      // A digit on a cell begins its new value.
      setSelectAll(false);
      setEditing(e.key);
    } else if (e.key.toLowerCase() === 'd' && (e.ctrlKey || e.metaKey) && take && column.edit) {
      // Copy down: the cell above goes into this one.
      const above = takeAt(at.row - 1);
      const part = above && column.edit.parse(column.edit.text(above));
      if (part && typeof part !== 'string') store(take, part);
    } else if (e.key === 'n' && !e.ctrlKey && !e.metaKey) router.push(`/${code}/log/new?setup=${setupId}`);
    else return;
    e.preventDefault();
  };
  useEffect(() => setAt({ row: 0, column: 0 }), [sorting, grouping, filter]);
  const focus = () => (scroller.current as unknown as HTMLElement | null)?.focus();
  // Rows keep what they do in a box that never changes: scrolling then draws only the rows that come into sight.
  const actions = useRef<RowActions>(null as never);
  actions.current = {
    press: (row, column) => {
      setAt({ row, column });
      focus();
    },
    edit: (column, take) => {
      if (!column.edit) return;
      setSelectAll(true);
      setEditing(column.edit.text(take));
    },
    text: setEditing,
    commit,
    cancel: () => {
      setEditing(null);
      focus();
    },
  };

  return (
    <View style={{ gap: SPACE(3) }}>
      <Row wrap style={{ alignItems: 'flex-end', justifyContent: 'space-between' }}>
        <View style={{ width: 260 }}>
          <Input
            label={more ? 'Filter takes' : `Filter ${takes.length} takes`}
            accessibilityLabel="Filter takes"
            value={filter}
            onChangeText={setFilter}
            renderErrorMessage={false}
          />
        </View>
        <Choice
          label="Put together by"
          options={[
            { value: '', title: 'No groups' },
            ...columns.filter((c) => c.groups).map((c) => ({ value: c.id, title: `By ${c.title.toLowerCase()}` })),
          ]}
          value={grouping[0] ?? ''}
          onChange={(v) => setGrouping(v === '' ? [] : [v])}
        />
      </Row>
      {(wrong ?? save.error) ? (
        <Notice state="lost" title="Not saved" detail={wrong ?? save.error!.message} testID="table-fault" />
      ) : null}
      <View
        ref={scroller}
        role="grid"
        aria-label="Takes"
        aria-rowcount={more ? -1 : rows.length}
        tabIndex={0}
        style={
          {
            height: Math.min(TALLEST, ROW * (rows.length + 1) + 2),
            overflow: 'scroll',
            borderWidth: 1,
            borderColor: palette.hairline,
            borderRadius: RADIUS,
            backgroundColor: palette.raised,
          } as object
        }
        {...({ onKeyDown: keys } as object)}
      >
        <View
          style={{
            width,
            height: ROW,
            flexDirection: 'row',
            paddingHorizontal: SPACE(3),
            alignItems: 'center',
            borderBottomWidth: 1,
            borderColor: palette.hairline,
            backgroundColor: palette.raised,
            position: 'sticky' as 'relative',
            top: 0,
            zIndex: 2,
          }}
          role="row"
        >
          {columns.map((c) => {
            const order = sorting[0]?.id === c.id ? (sorting[0].desc ? ' ↓' : ' ↑') : '';
            return (
              <Pressable
                key={c.id}
                role="columnheader"
                aria-label={`Sort by ${c.title}`}
                aria-sort={order === '' ? 'none' : sorting[0].desc ? 'descending' : 'ascending'}
                onPress={() => setSorting(order === ' ↓' ? [] : [{ id: c.id, desc: order === ' ↑' }])}
                style={{ width: c.width, minHeight: ROW, justifyContent: 'center' }}
              >
                <Text size="small" tone="quietInk" strong={order !== ''} lines={1}>{`${c.title}${order}`}</Text>
              </Pressable>
            );
          })}
        </View>
        <View style={{ width, height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const row = rows[item.index];
            const place = {
              position: 'absolute',
              top: item.start,
              left: 0,
              width,
              height: ROW,
              flexDirection: 'row',
              alignItems: 'center',
              paddingHorizontal: SPACE(3),
              borderBottomWidth: 1,
              borderColor: palette.hairline,
            } as const;
            if (row.getIsGrouped()) {
              return (
                <View key={row.id} role="row" style={{ ...place, backgroundColor: palette.ground }}>
                  <Text
                    strong
                  >{`${String(row.getGroupingValue(row.groupingColumnId!))}  ·  ${row.subRows.length} takes`}</Text>
                </View>
              );
            }
            const active = at.row === item.index ? at.column : -1;
            return (
              <TakeRow
                key={row.id}
                take={row.original}
                columns={columns}
                index={item.index}
                top={item.start}
                width={width}
                active={active}
                editing={active >= 0 ? editing : null}
                selectAll={selectAll}
                actions={actions}
              />
            );
          })}
        </View>
      </View>
      <Row wrap style={{ justifyContent: 'space-between' }}>
        {more && whole ? <Text size="small">{`${takes.length} takes looked through, reading on`}</Text> : null}
        <Text size="small" tone="quietInk">
          {`Arrows move, Enter or a digit edits, Esc leaves, Ctrl D copies the cell above, n logs the next take.${takes.some((t) => takeTimeFrom(t).kind === 'assumed') ? ' A time with ? is assumed: nobody said when that take ran.' : ''}`}
        </Text>
        {takeAt(at.row) ? (
          <Action
            title={`Open ${takeAt(at.row)!.slate} / ${takeAt(at.row)!.take}`}
            onPress={() => router.push(`/${code}/log/new?setup=${setupId}&take=${takeAt(at.row)!.id}`)}
          />
        ) : null}
      </Row>
    </View>
  );
}
