import { Link, useGlobalSearchParams, usePathname } from 'expo-router';
import { useEffect, useRef, type ReactNode } from 'react';
import { Pressable, ScrollView, View } from 'react-native';
import Svg, { Circle, Path } from 'react-native-svg';
import { keepLastProduction } from '../../data/lastProduction';
import { useProduction, useProductionCode } from '../../data/queries';
import { PlaceIcon, type Place } from '../../ui/icons/PlaceIcon';
import { Text } from '../../ui/Text';
import { useTheme, useWide } from '../../ui/theme';
import { SPACE, TARGET } from '../../ui/tokens';
import { LastKnown } from './LastKnown';

/** The places, and pages beside them that belong to one: whoever is there is still in it. */
const PLACES: { place: Place; title: string; pages?: readonly string[] }[] = [
  { place: 'day', title: 'Day', pages: ['place', 'setup'] },
  { place: 'log', title: 'Log' },
  { place: 'round', title: 'Round' },
  { place: 'measure', title: 'Measure', pages: ['sight', 'plate-camera'] },
  { place: 'handoff', title: 'Handoff' },
];

/** The five places: bottom bar on a phone, left rail when wide; the content scrolls between. */
export function Shell({ children }: { children: ReactNode }) {
  const { palette } = useTheme();
  const wide = useWide();
  const code = useProductionCode();
  useEffect(() => keepLastProduction(localStorage, code), [code]);
  const path = usePathname();
  const content = useRef<ScrollView>(null);
  // A page begins at its top, however far the one before was scrolled.
  useEffect(() => content.current?.scrollTo({ y: 0, animated: false }), [path]);
  return (
    <View style={{ flex: 1, flexDirection: wide ? 'row' : 'column', backgroundColor: palette.ground }}>
      {wide ? <Rail /> : <TopBar />}
      <ScrollView
        ref={content}
        style={{ flex: 1 }}
        contentContainerStyle={{
          padding: SPACE(4),
          paddingBottom: SPACE(8),
          width: '100%',
          maxWidth: 1240,
          alignSelf: 'center',
        }}
        role="main"
      >
        <LastKnown />
        {children}
      </ScrollView>
      {wide ? null : <BottomBar />}
    </View>
  );
}

function useLinks() {
  const code = useProductionCode();
  const path = usePathname();
  const { setup } = useGlobalSearchParams<{ setup?: string }>();
  const page = path.split('/')[2];
  return PLACES.map(({ place, title, pages }) => ({
    place,
    title,
    active: page === place || Boolean(pages?.includes(page)),
    href: `/${code}/${place}${setup ? `?setup=${setup}` : ''}`,
  }));
}

function PlaceLink({ place, title, active, href }: { place: Place; title: string; active: boolean; href: string }) {
  const { palette } = useTheme();
  return (
    <Link href={href as never} asChild>
      <Pressable
        role="link"
        aria-label={title}
        aria-current={active ? 'page' : undefined}
        style={{
          flex: 1,
          minHeight: 58,
          minWidth: TARGET,
          maxHeight: 72,
          alignItems: 'center',
          justifyContent: 'center',
          gap: 2,
        }}
      >
        <View
          style={{ height: 3, width: 28, backgroundColor: active ? palette.ink : 'transparent', marginBottom: 2 }}
        />
        <PlaceIcon place={place} colour={active ? palette.ink : palette.quietInk} />
        <Text size="small" strong={active} tone={active ? 'ink' : 'quietInk'}>
          {title}
        </Text>
      </Pressable>
    </Link>
  );
}

function BottomBar() {
  const { palette } = useTheme();
  return (
    <View
      role="navigation"
      aria-label="Places"
      style={{
        flexDirection: 'row',
        borderTopWidth: 1,
        borderColor: palette.hairline,
        backgroundColor: palette.raised,
      }}
    >
      {useLinks().map((l) => (
        <PlaceLink key={l.place} {...l} />
      ))}
    </View>
  );
}

function Rail() {
  const { palette } = useTheme();
  return (
    <View
      role="navigation"
      aria-label="Places"
      style={{
        width: 104,
        borderRightWidth: 1,
        borderColor: palette.hairline,
        backgroundColor: palette.raised,
        paddingTop: SPACE(4),
        gap: SPACE(2),
      }}
    >
      <View style={{ alignItems: 'center', paddingBottom: SPACE(3) }}>
        <ProductionsLink>
          <Text size="small">{useProductionCode()}</Text>
        </ProductionsLink>
      </View>
      {useLinks().map((l) => (
        <PlaceLink key={l.place} {...l} />
      ))}
      <View style={{ flex: 1 }} />
      <View style={{ alignItems: 'center', paddingBottom: SPACE(4) }}>
        <KitLink />
        <ThemeSwitch />
      </View>
    </View>
  );
}

function TopBar() {
  const { palette } = useTheme();
  const production = useProduction();
  return (
    <View
      style={{
        flexDirection: 'row',
        alignItems: 'center',
        justifyContent: 'space-between',
        paddingLeft: SPACE(4),
        paddingRight: SPACE(2),
        minHeight: 52,
        borderBottomWidth: 1,
        borderColor: palette.hairline,
        backgroundColor: palette.raised,
      }}
    >
      <ProductionsLink>
        <Text strong>{production.data?.title ?? ''}</Text>
      </ProductionsLink>
      <View style={{ flexDirection: 'row' }}>
        <KitLink />
        <ThemeSwitch />
      </View>
    </View>
  );
}

/** Which production this is, and the way to the others. */
function ProductionsLink({ children }: { children: ReactNode }) {
  const wide = useWide();
  return (
    <Link href={'/productions' as never} asChild>
      <Pressable
        role="link"
        aria-label="Productions"
        style={{
          flexDirection: wide ? 'column' : 'row',
          alignItems: 'center',
          gap: SPACE(2),
          minHeight: TARGET,
          minWidth: TARGET,
        }}
      >
        <Sign />
        {children}
      </Pressable>
    </Link>
  );
}

/** The way to the kit: not one of the five places, but never far. */
function KitLink() {
  const { palette } = useTheme();
  const code = useProductionCode();
  return (
    <Link href={`/${code}/kit` as never} asChild>
      <Pressable
        role="link"
        aria-label="Kit"
        style={{ minWidth: 48, height: 48, alignItems: 'center', justifyContent: 'center' }}
      >
        <Svg width={24} height={24} viewBox="0 0 24 24" aria-hidden>
          <Path
            d="M3.5 9.5 H20.5 V19.5 H3.5 Z M8.5 9.5 V6 H15.5 V9.5 M3.5 13.5 H20.5 M10.5 13.5 V15.5 H13.5 V13.5"
            fill="none"
            stroke={palette.ink}
            strokeWidth={1.8}
            strokeLinejoin="round"
          />
        </Svg>
      </Pressable>
    </Link>
  );
}

/** The sun going down behind a straight horizon. */
function Sign() {
  const { palette } = useTheme();
  return (
    <Svg width={30} height={30} viewBox="0 0 30 30" aria-hidden>
      <Path d="M7 19 A8 8 0 0 1 23 19 Z" fill={palette.tawny} />
      <Path d="M2 19.5 H28 M6 23.5 H24 M11 27 H19" stroke={palette.ink} strokeWidth={1.8} strokeLinecap="round" />
    </Svg>
  );
}

function ThemeSwitch() {
  const { palette, name, toggle } = useTheme();
  const to = name === 'daylight' ? 'lamplight' : 'daylight';
  return (
    <Pressable
      role="button"
      aria-label={`Switch to ${to} theme`}
      onPress={toggle}
      style={{ width: 48, height: 48, alignItems: 'center', justifyContent: 'center' }}
    >
      <Svg width={24} height={24} viewBox="0 0 24 24" aria-hidden>
        <Circle cx={12} cy={12} r={8.5} fill="none" stroke={palette.ink} strokeWidth={1.8} />
        <Path
          d={name === 'daylight' ? 'M12 3.5 A8.5 8.5 0 0 1 12 20.5 Z' : 'M12 3.5 A8.5 8.5 0 0 0 12 20.5 Z'}
          fill={palette.ink}
        />
      </Svg>
    </Pressable>
  );
}
